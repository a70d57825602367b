/** Quieter than this, both sides, is silence: half of a 24-bit step. */
export const SILENT = 2 ** -24;
