import type { StoppedClient } from '@jadefence/core/edit';

export interface StopClientRequest {
  /** An address, or a network such as 198.18.9.0/24. */
  readonly client: string;
  /** Such as `2h`; until it is released where absent. */
  readonly for?: string;
  readonly reason?: string;
  /** Also where it is in a protected list, or an expectation is not met. */
  readonly isForced?: boolean;
}

/** A stop, and the revision that has it. */
export interface StoppedNow extends StoppedClient {
  readonly revision: number;
}

export interface ReleasedClient {
  readonly client: string;
  readonly revision: number;
}
