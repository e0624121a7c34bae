/**
 * Numbers on which the kernel and its callers agree. Both compilers read this file, so it has nothing but whole numbers.
 *
 * The fields of a line of the NCSA formats, in the order of their cells.
 */
export const HOST = 0;
export const CLIENT = 1;
export const USER = 2;
export const METHOD = 3;
export const PATH = 4;
export const QUERY = 5;
export const VERSION = 6;
export const STATUS = 7;
export const BYTES = 8;
export const REFERER = 9;
export const AGENT = 10;
export const NUM_FIELDS = 11;

/** Words of a cell: from where to where its bytes lie, and their hash. */
export const CELL_WORDS = 3;
/** Instead of where a cell begins: it is missing, or zero bytes written as a dash. */
export const NONE = -1;
export const ZERO_BYTES = -2;

/** How a field is written: `-`, nothing, its value, or its value with backslashes before quotation marks and backslashes. */
export const MISSING = 0;
export const EMPTY = 1;
export const VALUE = 2;
export const ESCAPED = 3;
/** The bit offsets of an optional field and of the zone in the shape of a line. */
export const HOST_BITS = 0;
export const CLIENT_BITS = 2;
export const USER_BITS = 4;
export const QUERY_BITS = 6;
export const BYTES_BITS = 8;
export const REFERER_BITS = 10;
export const AGENT_BITS = 12;
export const ZONE_BITS = 14;

/** Of what the bytes of an entry of a dictionary are the text. */
export const TEXT_KIND = 0x73;
export const LIST_KIND = 0x6c;
export const JSON_KIND = 0x6a;
export const OWN_HTTP_KIND = 0x68;
export const OWN_HTTPS_KIND = 0x48;

/** Codes of a column: unknown is 0, then none, then the entries of its dictionary. */
export const NONE_CODE = 1;
export const FIRST_VALUE_CODE = 2;

/** Bytes that may be read beyond what was given, since words are read whole. */
export const PADDING_BYTES = 16;
