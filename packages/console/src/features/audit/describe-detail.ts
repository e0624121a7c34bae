/** Beyond this many changes only their number is shown. */
const NAMED_CHANGES = 4;

/** The changed parts by name, or the first detail of the entry. */
export function describeDetail(detail: Readonly<Record<string, unknown>>): string {
  const changes = detail['changes'];
  if (Array.isArray(changes)) {
    if (changes.length > NAMED_CHANGES) return `${changes.length} changes`;
    const named = changes.map(
      (change: { kind: string; part: string; name: string }) => `${change.part} ${change.name} ${change.kind}`,
    );
    return named.join(', ') || 'nothing';
  }
  return Object.entries(detail)
    .flatMap(([key, value]) =>
      (typeof value === 'string' && value.length < 64) || typeof value === 'number' ? [`${key} ${value}`] : [],
    )
    .join(', ');
}
