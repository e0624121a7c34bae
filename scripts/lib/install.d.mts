export declare function findPostgres(): Promise<string>;
/** The path of a Chromium. */
export declare function findChromium(): Promise<string>;
