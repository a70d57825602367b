/**
 * "1 note", "3 notes": a count with its noun.
 * @example many(1, 'note') // '1 note'
 */
export const many = (count: number, noun: string): string => `${count} ${noun}${count === 1 ? '' : 's'}`;
