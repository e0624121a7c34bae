export declare function startService(env: Record<string, string>, logTo?: 'inherit' | 'ignore' | number): Promise<{ address: string; ended: Promise<number>; stop(): Promise<void> }>;
