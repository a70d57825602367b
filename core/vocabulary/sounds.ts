/** Sounds by our own names; the engine knows which preset each is. */
export const SOUNDS = [
  'concert grand',
  'felt piano',
  'tine piano',
  'reed piano',
  'tonewheel organ',
  'clavi',
  'string section',
  'soft pad',
] as const;
export type Sound = (typeof SOUNDS)[number];

/** General MIDI programs (numbered from 0) that come nearest to our sounds. */
export const PROGRAMS: Readonly<Record<Sound, number>> = {
  'concert grand': 0,
  'felt piano': 1,
  'tine piano': 4,
  'reed piano': 5,
  'tonewheel organ': 16,
  clavi: 7,
  'string section': 48,
  'soft pad': 89,
};

/** The channel, from 0, that General MIDI keeps for drums. */
export const DRUM_CHANNEL = 9;

/** A part's channel by its place in the song: from 0, without the drums'. */
export const channelOf = (index: number): number => (index < DRUM_CHANNEL ? index : index + 1);
