export { type AddressUses, findAddressUses } from './address-uses.js';
export { describeSeen, describeTarget } from './describe-target.js';
export { explainRequest, type Explanation, type FenceStep, type RuleStep, type Shown } from './explain.js';
export { type Identified, identifyApplications } from './identify.js';
export { renderShownPage } from './rendered-page.js';
export { redirectOf } from './reasons.js';
export { renderExplanation } from './render-text.js';
export { type ApplicableRule, type RulesAtGate, rulesFor } from './rules-for.js';
export { type RequestChange, type WhyNot, whyNot } from './why-not.js';
