import { describeSeen } from './describe-target.js';
import type { Explanation, FenceStep, RuleStep, Shown } from './explain.js';

const VERDICTS: Record<RuleStep['verdict'], string> = {
  'matched': 'matched',
  'not-matched': 'not matched',
  'blind': 'blind',
  'off': 'off',
  'expired': 'expired',
  'out-of-hours': 'not in its hours',
  'not-reached': 'not reached',
};

/** An explanation as plain text, one step a line. */
export function renderExplanation(explanation: Explanation): string {
  const { request, country, gate } = explanation;
  return [
    `${showRequest(request)} at ${showTime(explanation)}`,
    `client   ${showText(request.client)}${sameText(request.client, request.peer) ? '' : `, connected from ${showText(request.peer)}`}`,
    ...(explanation.clientBecause ? [`         ${explanation.clientBecause}`] : []),
    `country  ${showText(country.value)} (${country.because})`,
    gate ? `gate     ${gate.name} (${gate.because})` : 'gate     none',
    ...(explanation.visibility ? [`         ${explanation.visibility}`] : []),
    ...explanation.facts.map(
      ({ field, value, because }) => `${field.padEnd(8)} ${showText(value)}${because ? ` (${because})` : ''}`,
    ),
    ...explanation.fences.flatMap(renderFence),
    ...renderList('tags', explanation.decision.tags),
    ...renderList('blind', explanation.decision.blind),
    ...renderList(
      'in trial',
      explanation.decision.would.map(
        ({ fence, rule, outcome }) => `${fence}${rule ? `/${rule}` : ''} would have been ${outcome}`,
      ),
    ),
    `outcome  ${explanation.decision.outcome}. ${explanation.conclusion}`,
    `client sees: ${explanation.clientSees}`,
  ].join('\n');
}

function showRequest(request: Explanation['request']): string {
  const { text, unknown } = describeSeen(request);
  return [text, unknown && `(${unknown} unknown)`].filter(Boolean).join(' ') || 'a request';
}

function renderFence({ fence, mode, rules, reachedEnd }: FenceStep): string[] {
  return [
    `fence    ${fence}${mode === 'trial' ? ' (trial)' : ''}`,
    ...rules.flatMap(renderRule),
    ...(reachedEnd ? ['  no rule ended this fence'] : []),
  ];
}

function renderRule({ rule, isTrial, verdict, because, sentence, memory }: RuleStep): string[] {
  return [
    `  ${rule}${isTrial ? ' (trial)' : ''}: ${VERDICTS[verdict]}`,
    `      ${sentence}`,
    ...because.map(
      ({ comparison, field, actual, through }) =>
        `      tested ${comparison}; the ${field} is ${showText(actual)}${through ? ` (${through})` : ''}`,
    ),
    ...(memory ? [`      ${memory}`] : []),
  ];
}

function renderList(label: string, values: readonly string[]): string[] {
  return values.length > 0 ? [`${label.padEnd(9)}${values.join(', ')}`] : [];
}

function showText(shown: Shown): string {
  return shown.kind === 'known' ? shown.text : `(${shown.kind})`;
}

function sameText(a: Shown, b: Shown): boolean {
  return showText(a) === showText(b);
}

function showTime({ atUnixMs, isTimeUnknown }: Explanation): string {
  return isTimeUnknown ? '(unknown time)' : new Date(atUnixMs).toISOString();
}
