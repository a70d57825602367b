const WHEN = new Intl.DateTimeFormat('en-GB', { day: 'numeric', month: 'short', hour: '2-digit', minute: '2-digit' });

/** "27 Nov, 14:05". @param at ISO 8601 */
export const whenWords = (at: string): string => WHEN.format(new Date(at));
