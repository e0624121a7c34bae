export declare function findPostgres(): Promise<string>;
