/** Modes: what happens to notes that are there. */
export const MODES = ['new take', 'merge', 'replace', 'replace while I play', 'replace from my first note'] as const;
export type Mode = (typeof MODES)[number];

/** Policies of laps: what each does when the loop is on. */
export const LAP_POLICIES = [
  'a new take each',
  'build up',
  'fresh, then build up',
  'play to overwrite',
  'keep the last full lap',
  'a layer each',
] as const;
export type LapPolicy = (typeof LAP_POLICIES)[number];
/** Names of lap policies where one is chosen; the values above are what is stored. */
export const LAP_NAMES: Readonly<Record<LapPolicy, string>> = {
  'a new take each': 'A new take each',
  'build up': 'Add on each lap',
  'fresh, then build up': 'New take, then add',
  'play to overwrite': 'A lap that is played replaces',
  'keep the last full lap': 'The last whole lap stands',
  'a layer each': 'A layer each',
};

/** Waits: whether the count waits for the first note, and what that note is then. */
export const WAITS = ['no', 'start', 'join'] as const;
/** `start`: my first note is the start. `join`: the pulse goes on, and the bar the note falls in becomes the first. */
export type Wait = (typeof WAITS)[number];

/** Length in bars or beats. */
export interface Span {
  readonly count: number;
  readonly unit: 'bars' | 'beats';
}
