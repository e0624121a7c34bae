export declare function startService(
  env: Record<string, string>,
  logTo?: 'inherit' | 'ignore' | number,
): Promise<{ address: string; pid: number; ended: Promise<number>; stop(): Promise<void>; kill(): Promise<void> }>;
