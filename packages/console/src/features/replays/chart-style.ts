/** How bars over time look. */
export const AXIS = { stroke: 'var(--color-muted)', fontSize: 12, tickLine: false };
export const CURSOR = { fill: 'var(--color-jade)', fillOpacity: 0.15 };
export const TOOLTIP = { background: 'var(--color-surface)', border: '1px solid var(--color-line)', borderRadius: 8 };
