import { VERSION } from '@jadefence/contract';
import { FINDING_ENTRIES, FINDING_IDS, type Finding, type Review } from '@jadefence/core/findings';

/** Findings in the Static Analysis Results Interchange Format (SARIF 2.1.0, OASIS), as editors and pipelines read it. */
export function toSarif({ findings, ignored }: Pick<Review, 'findings' | 'ignored'>): object {
  return {
    $schema: 'https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json',
    version: '2.1.0',
    runs: [
      {
        tool: {
          driver: {
            name: 'jadefence',
            version: VERSION,
            rules: FINDING_IDS.map((id) => ({ id, fullDescription: { text: FINDING_ENTRIES[id] } })),
          },
        },
        columnKind: 'utf16CodeUnits',
        results: [
          ...findings.map(resultOf),
          // What a comment expects is there, and does not count.
          ...ignored.map((finding) => ({ ...resultOf(finding), suppressions: [{ kind: 'inSource' }] })),
        ],
      },
    ],
  };
}

function resultOf({ id, level, message, hint, place, subject, gate, related = [], example }: Finding): object {
  const { file, line, column } = place;
  return {
    ruleId: id,
    ruleIndex: FINDING_IDS.indexOf(id),
    level,
    message: { text: `${message} ${hint}` },
    locations: [
      {
        physicalLocation: {
          artifactLocation: { uri: encodeURI(file) },
          region: { startLine: line, startColumn: column },
        },
        logicalLocations: [{ fullyQualifiedName: subject }],
      },
    ],
    properties: { ...(gate === undefined ? {} : { gate }), related, ...(example ? { example } : {}) },
  };
}
