/** Limits of what a song can hold, for the document's schema and everything that fills a song. */

/** General MIDI has sixteen channels, and one is for drums. */
export const MOST_PARTS = 64;
export const MOST_BACKINGS = 32;
export const MOST_BARS = 5000;
export const MOST_SECTIONS = 500;
/** Most bars in a section. */
export const MOST_SECTION_BARS = 2000;
export const MOST_TEMPOS = 20_000;
export const MOST_METERS = 5000;
/** Tempos in quarter notes a minute. */
export const SLOWEST_BPM = 5;
export const FASTEST_BPM = 1000;
/** Longest names, in characters. */
export const LONGEST_NAME = 120;
export const LONGEST_NOTES = 5000;
/** Largest tuning from an A of 440 Hz in cents, as half a semitone is another key. */
export const FARTHEST_TUNING = 100;
/** Limits of the client's sheet: its pages and marks. */
export const MOST_SHEET_PAGES = 500;
export const MOST_STROKES = 5000;
/** Limits of a transposition: semitones, and changes in a song. */
export const MOST_SEMITONES = 12;
export const MOST_TRANSPOSED = 500;
/** Limits of what a client wants changed: a note's text and its answer, in characters, and how many there are. */
export const LONGEST_NOTE = 1000;
export const LONGEST_ANSWER = 500;
export const MOST_NOTES = 500;
/** The longest that stands in one bar of the written part, in characters. */
export const LONGEST_WRITTEN = 120;
/** As many ranges of bars as one note can mean. */
export const MOST_NOTE_STRETCHES = 100;
/** Limits of what a bar can be counted in: so many beats at most, none shorter than this part of a whole note. */
export const MOST_BEATS = 64;
export const BEAT_UNITS: readonly number[] = [1, 2, 4, 8, 16, 32];
export const SHORTEST_UNIT = 32;

/** A layer for which something came no longer ago than this, in milliseconds, is being recorded. */
export const FRESH = 10_000;

/**
 * Interval, in milliseconds, at which the server's feed says something whatever happens: a dead connection is found
 * out.
 */
export const PULSE = 20_000;
