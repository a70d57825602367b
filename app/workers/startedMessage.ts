/** A worker's first word: its script has come, and runs. Whatever it says first will do as well. */
export const STARTED = 'started';
