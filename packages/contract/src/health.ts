export interface Health {
  readonly status: 'ok';
  readonly version: string;
}
