export declare function startCluster(options: { name: string; bin: string; isDurable: boolean }): Promise<{
  urlOf(database: string): string;
  stop(mode?: 'fast' | 'immediate'): Promise<void>;
  /** Stops it, and starts it again on its port after a while. */
  interrupt(mode: 'fast' | 'immediate', pauseMs: number): Promise<void>;
}>;
