import { ChunkRows, SegmentDictionaries, type EncodedChunk } from '@jadefence/core/columns';
import { SurveyBuilder, type Survey } from '@jadefence/core/survey';
import type { Imported } from '@jadefence/files';
import { openReferenceData, type SharedReferenceData } from '../reference/shared-reference-data.js';

/** Surveys a log of which the chunks come one after the other. */
export class LogSurveyor {
  readonly #builder: SurveyBuilder;
  #dictionaries = new SegmentDictionaries();

  /** @param referenceData supplies the country table */
  constructor(referenceData: SharedReferenceData) {
    this.#builder = new SurveyBuilder(openReferenceData(referenceData).countries);
  }

  add({ chunks, rejected }: Imported): void {
    for (const line of rejected) this.#builder.addRejected(line);
    for (const chunk of chunks) this.#addChunk(chunk);
  }

  finish(): Survey {
    return this.#builder.finish();
  }

  #addChunk({ beginsSegment, dictionaries: parts, numRows, columns }: EncodedChunk): void {
    if (beginsSegment) this.#dictionaries = new SegmentDictionaries();
    for (const [name, part] of parts) this.#dictionaries.add(name, part);
    this.#builder.addChunk(new ChunkRows(numRows, columns, this.#dictionaries));
  }
}
