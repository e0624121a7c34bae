export declare function startCluster(options: {
  name: string;
  bin: string;
  isDurable: boolean;
}): Promise<{ urlOf(database: string): string; stop(): Promise<void> }>;
