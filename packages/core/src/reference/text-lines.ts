const MAX_LINE_CHARACTERS = 65_536;
const LINE_FEED = 0x0a;

/** Cuts bytes into lines of text as they come. A line that is too long is cut and marked; it is never collected whole. */
export class TextLines {
  #decoder = new TextDecoder();
  #rest = '';
  #isAtStart = true;

  /** @param take gets each line without its end, and whether it was too long */
  constructor(private readonly take: (line: string, isTooLong: boolean) => void) {}

  /** Whether no line has begun that has not ended. */
  get isAtStart(): boolean {
    return this.#isAtStart;
  }

  push(bytes: Uint8Array): void {
    if (bytes.length > 0) this.#isAtStart = bytes.at(-1) === LINE_FEED;
    const text = this.#rest + this.#decoder.decode(bytes, { stream: true });
    let start = 0;
    for (let end = text.indexOf('\n'); end >= 0; end = text.indexOf('\n', start)) {
      this.#give(text.slice(start, end));
      start = end + 1;
    }
    this.#rest = text.slice(start, start + MAX_LINE_CHARACTERS + 1);
  }

  /** Ends the text; another may follow. */
  end(): void {
    const last = this.#rest + this.#decoder.decode();
    this.#decoder = new TextDecoder();
    this.#rest = '';
    this.#isAtStart = true;
    if (last !== '') this.#give(last);
  }

  #give(line: string): void {
    this.take(line, line.length > MAX_LINE_CHARACTERS);
  }
}

/** A line of a feed or list that cannot be used. */
export interface LineProblem {
  /** Where there are several files. */
  readonly file?: string;
  /** 1-based. */
  readonly line: number;
  readonly message: string;
}

/** The result of reading a feed or list line by line. */
export interface LinesReport {
  readonly numLines: number;
  readonly numEntries: number;
  readonly numRejected: number;
  /** The first thousand of them. */
  readonly problems: readonly LineProblem[];
  /** Names that a hosts file gives to the machine itself, such as localhost, which are left out. */
  readonly numOwnNames: number;
}

const KEPT_PROBLEMS = 1000;
const SHOWN_CHARACTERS = 100;

/** Names that hosts files give to the machine itself: no name of a site is a single label. */
const OWN_NAMES = /^[^.]+$/;

/** Counts lines and keeps the first problems. */
export class LineCounter {
  readonly #problems: LineProblem[] = [];
  #file: string | undefined;
  #numFileLines = 0;
  #numLines = 0;
  #numRejected = 0;
  #numOwnNames = 0;

  get numLines(): number {
    return this.#numLines;
  }

  /** Of the file that is read now. */
  get line(): number {
    return this.#numFileLines;
  }

  startFile(file: string | undefined): void {
    this.#file = file;
    this.#numFileLines = 0;
  }

  /** Counts a line. */
  next(): void {
    this.#numLines += 1;
    this.#numFileLines += 1;
  }

  /** Rejects the line that was counted last. */
  reject(message: string): void {
    this.#numRejected += 1;
    if (this.#problems.length >= KEPT_PROBLEMS) return;
    const file = this.#file === undefined ? {} : { file: this.#file };
    this.#problems.push({ ...file, line: this.#numFileLines, message });
  }

  /** The names of a line of a hosts file, without those of the machine itself, which are counted. */
  namesOfHosts(names: readonly string[]): string[] {
    const others = names.filter((name) => !OWN_NAMES.test(name));
    this.#numOwnNames += names.length - others.length;
    return others;
  }

  report(numEntries: number): LinesReport {
    const { numLines } = this;
    return {
      numLines,
      numEntries,
      numRejected: this.#numRejected,
      problems: this.#problems,
      numOwnNames: this.#numOwnNames,
    };
  }
}

/** Text of a line as a message quotes it. */
export function quoteText(text: string): string {
  return JSON.stringify(text.trim().slice(0, SHOWN_CHARACTERS));
}

/** A line without its comment: `#` at the start or behind a space. */
export function withoutComment(line: string): string {
  const comment = line.search(/^\s*#|\s#/);
  return (comment < 0 ? line : line.slice(0, comment)).trim();
}
