/** The version of everything here: service, command line and console are released together. */
export const VERSION = '0.1.0';
