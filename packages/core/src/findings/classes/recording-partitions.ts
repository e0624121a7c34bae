import type { Lookup } from '../../check/lookups.js';
import type { Comparison } from '../../language/tree.js';
import type { Feature, FeatureValue } from '../../match/features/features.js';
import { Partitions } from '../../match/rows/partitions.js';
import type { Field } from '../../request/field.js';
import type { PathReading } from '../../request/path.js';

/** A comparison of the rules, without its negation. */
export interface Atom {
  readonly partition: number;
  readonly atom: number;
  readonly comparison: Comparison;
  readonly lookup: Lookup | undefined;
  readonly feature: Feature<Field<FeatureValue>>;
}

/** The partitions of a matcher, which also keep what their atoms compare. */
export class RecordingPartitions extends Partitions {
  readonly atoms: Atom[] = [];
  /** Writes comparisons differently whose lists have other entries under the same name elsewhere. */
  scope: ((comparison: Comparison) => Comparison) | undefined;
  readonly #known = new Set<string>();

  override atomFor(
    feature: Feature<Field<FeatureValue>>,
    comparison: Comparison,
    lookup: Lookup | undefined,
    reading: PathReading,
  ): { partition: number; atom: number } {
    const scoped = this.scope?.(comparison) ?? comparison;
    const place = super.atomFor(feature, comparison, lookup, reading, scoped);
    const key = `${place.partition} ${place.atom}`;
    if (!this.#known.has(key)) this.atoms.push({ ...place, comparison: scoped, lookup, feature });
    this.#known.add(key);
    return place;
  }
}
