/** Largest sample that counts as silence: half a 24-bit step. */
export const SILENT = 2 ** -24;
