/**
 * Way of playing together: what each of the band plays, written step by step. A line comes round at its own end: one
 * of another length than the bar goes across it.
 */
export interface Groove {
  readonly name: string;
  /** True for a groove that is kept for judging; weights are learned from the others. */
  readonly kept: boolean;
  readonly beats: number;
  readonly unit: number;
  /** Range of the pulse in beats a minute. */
  readonly bpm: readonly [number, number];
  /** Steps to a pulse: 4 are sixteenths, 6 the same of a dotted quarter, 3 are triplets. */
  readonly steps: number;
  /** True for late off-beat eighths, as in a shuffle. */
  readonly swung?: boolean;
  /** Drum lines by General MIDI key, with alternatives of which a song has one. Empty for no drums. */
  readonly drums: Readonly<Record<number, readonly string[]>>;
  /** Bass line: x root, 5 fifth, o octave, w next note of a walk. */
  readonly bass: readonly string[];
  /** Chords: x whole, a next note of the chord. */
  readonly chords: readonly string[];
  /** Probability of a lead note on weak and strong steps; negative for notes ahead of the beat. */
  readonly lead?: number;
  /** Bars to a chord. */
  readonly change?: readonly number[];
}

const KICK = 36;
const STICK = 37;
const SNARE = 38;
const HAT = 42;
const PEDAL = 44;
const OPEN = 46;
const RIDE = 51;
const SHAKER = 70;
const CLAVE = 75;

/** Grooves, invented from the trade's names for them. */
export const GROOVES: readonly Groove[] = [
  {
    name: 'straight eighths',
    ...{ kept: false, beats: 4, unit: 4, bpm: [76, 150], steps: 4, lead: 0.3, change: [1, 2] },
    drums: {
      [KICK]: ['x.......x.x.....', 'x.....x.x.......', 'x.x.....x.....x.', 'x...x...x...x...'],
      [SNARE]: ['....x.......x...'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'x...x...x...x...', 'xxxxxxxxxxxxxxxx', '..x...x...x...x.'],
    },
    bass: ['x.......x.x.....', 'x.x.x.x.x.x.x.x.', 'x.....x.5.......', 'x...............'],
    chords: ['x...............', 'x.......x.......', 'x...x...x...x...', 'x.x.x.x.x.x.x.x.', '..x...x...x...x.'],
  },
  {
    name: 'half-time',
    ...{ kept: false, beats: 4, unit: 4, bpm: [66, 152], steps: 4, lead: 0.2, change: [1, 2] },
    drums: {
      [KICK]: ['x.....x.........', 'x..........x..x.', 'x...............'],
      [SNARE]: ['........x.......'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'x...x...x...x...', 'xxxxxxxxxxxxxxxx'],
    },
    bass: ['x.....x.........', 'x...............', 'x.......5.....x.'],
    chords: ['x...............', 'a.a.a.a.a.a.a.a.', 'x...x...x...x...'],
  },
  {
    name: 'bass on, chords off the beat',
    ...{ kept: false, beats: 4, unit: 4, bpm: [88, 220], steps: 4, lead: 0.5, change: [1, 0.5] },
    drums: {
      [KICK]: ['x.......x.......', 'x...x...x...x...', '................'],
      [SNARE]: ['....x.......x...', '..x...x...x...x.', '................'],
      [HAT]: ['..x...x...x...x.', 'x.x.x.x.x.x.x.x.', '................'],
    },
    bass: ['x...5...x...5...', 'x.......5.......', 'o...5...x...5...'],
    chords: ['..x...x...x...x.', '....x.......x...'],
  },
  {
    name: 'rag',
    ...{ kept: false, beats: 4, unit: 4, bpm: [96, 210], steps: 4, lead: 0.7, change: [1, 0.5] },
    drums: { [KICK]: ['x.......x.......', '................'], [HAT]: ['....x.......x...', '................'] },
    bass: ['x.......5.......', 'x.......o.......'],
    chords: ['....x.......x...'],
  },
  {
    name: 'sixteenths, syncopated',
    ...{ kept: false, beats: 4, unit: 4, bpm: [84, 122], steps: 4, lead: 0.5, change: [1, 2, 4] },
    drums: {
      [KICK]: ['x..x......x..x..', 'x.x....x..x.....', 'x......x..x....x'],
      [SNARE]: ['....x.......x...', '....x..x.x..x...', '....x..x.x..x..x'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'xxxxxxxxxxxxxxxx'],
    },
    bass: ['x..x..x...x.o...', 'x.o..x.o..x...x.', '..x...x..x....x.'],
    chords: ['...x..x....x..x.', '..x...x...x...x.', '.......x.......x', 'x..x..x...x.x...'],
  },
  {
    name: 'four to the floor',
    ...{ kept: false, beats: 4, unit: 4, bpm: [112, 140], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x...x...x...x...'],
      [SNARE]: ['....x.......x...', '................'],
      [OPEN]: ['..x...x...x...x.'],
      [HAT]: ['xxxxxxxxxxxxxxxx', 'x.x.x.x.x.x.x.x.', '................'],
    },
    bass: ['..x...x...x...x.', 'x.o.x.o.x.o.x.o.', '..xx..xx..xx..xx'],
    chords: ['x..x..x...x..x..', '..x...x...x...x.', 'x...............'],
  },
  {
    name: 'shuffle',
    ...{ kept: false, beats: 4, unit: 4, bpm: [78, 176], steps: 4, swung: true, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.......x.......', 'x.....x.x.......', 'x...x...x...x...'],
      [SNARE]: ['....x.......x...'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'x...x...x...x...'],
    },
    bass: ['x.x.x.x.5.5.5.5.', 'x...w...w...w...', 'x.......5.......'],
    chords: ['x.....x.........', '..x...x...x...x.', 'x...............', '....x.......x...'],
  },
  {
    name: 'waltz',
    ...{ kept: false, beats: 3, unit: 4, bpm: [80, 200], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x...........', '............'],
      [STICK]: ['....x...x...', '............'],
      [RIDE]: ['x...x...x...', '............'],
    },
    bass: ['x...........', 'x.......5...', 'x...w...w...'],
    chords: ['....x...x...', 'x...........', 'a.a.a.a.a.a.'],
  },
  {
    name: 'six-eight',
    ...{ kept: false, beats: 6, unit: 8, bpm: [46, 84], steps: 6, lead: 0.3, change: [1, 2] },
    drums: {
      [KICK]: ['x...........', 'x.........x.', '............'],
      [SNARE]: ['......x.....', '............'],
      [HAT]: ['x.x.x.x.x.x.', 'x.....x.....', '............'],
    },
    bass: ['x...........', 'x.....5.....', 'x...x.5...5.'],
    chords: ['a.a.a.a.a.a.', 'x.....x.....', 'x...........'],
  },
  {
    name: 'ballad without drums',
    ...{ kept: false, beats: 4, unit: 4, bpm: [56, 96], steps: 4, lead: 0.25, change: [1, 2, 0.5] },
    drums: {},
    bass: ['x...............', 'x.......5.......', '................', 'x.....5.o.......'],
    chords: ['a.a.a.a.a.a.a.a.', 'aaaaaaaaaaaaaaaa', 'x...x...x...x...', 'x.......x.......', '..a.a.a...a.a.a.'],
  },
  {
    name: 'clave',
    ...{ kept: false, beats: 4, unit: 4, bpm: [80, 128], steps: 4, lead: 0.5, change: [1, 2] },
    drums: {
      [CLAVE]: ['x..x...x..x.x...', 'x..x..x...x..x..', '..x.x...x..x..x.'],
      [KICK]: ['x..x..x.x..x..x.', '......x.......x.', '................'],
      [SHAKER]: ['x.x.x.x.x.x.x.x.', '................'],
    },
    bass: ['...x..o.......x.', 'x..x..5.x..x..5.', '......x.....5...'],
    chords: ['x.x.xx.xx.x.xx.x', '..x...x...x...x.', '..xx..xx..xx..xx'],
  },
  {
    name: 'five',
    ...{ kept: false, beats: 5, unit: 4, bpm: [90, 180], steps: 4, lead: 0.3, change: [1, 2] },
    drums: {
      [KICK]: ['x...........x.......', 'x......x....x.......'],
      [SNARE]: ['....x...........x...', '........x.......x...'],
      [RIDE]: ['x...x...x...x...x...'],
    },
    bass: ['x...........x.......', 'x.....x.....5...5...'],
    chords: ['x.....x.....x...x...', 'x...................'],
  },
  {
    name: 'off-beat skank',
    ...{ kept: true, beats: 4, unit: 4, bpm: [66, 96], steps: 4, lead: 0.3, change: [1, 2] },
    drums: {
      [KICK]: ['........x.......'],
      [STICK]: ['........x.......'],
      [HAT]: ['x.x.x.x.x.x.x.x.', '..x...x...x...x.'],
    },
    bass: ['x..x..x.........', '....x.x.x.....x.', 'x.......x..x..5.'],
    chords: ['....x.......x...', '..x...x...x...x.'],
  },
  {
    name: 'walking',
    ...{ kept: true, beats: 4, unit: 4, bpm: [100, 220], steps: 4, swung: true, lead: 0.6, change: [1, 0.5] },
    drums: {
      [RIDE]: ['x...x.x.x...x.x.'],
      [PEDAL]: ['....x.......x...'],
      [SNARE]: ['......x.........', '..........x...x.', '................'],
    },
    bass: ['x...w...w...w...'],
    chords: ['x.....x.........', '......x.......x.', '..x.......x.....'],
  },
  {
    name: 'march',
    ...{ kept: true, beats: 2, unit: 4, bpm: [96, 132], steps: 4, lead: 0.6, change: [1, 2] },
    drums: { [KICK]: ['x...x...', 'x.......'], [SNARE]: ['..x...x.', '..x.x.xx', 'x.xxx.xx'] },
    bass: ['x...5...'],
    chords: ['..x...x.'],
  },
  {
    name: 'twelve-eight',
    ...{ kept: true, beats: 12, unit: 8, bpm: [48, 84], steps: 6, lead: 0.3, change: [1, 0.5] },
    drums: {
      [KICK]: ['x...........x.........x.', 'x.........x.x...........'],
      [SNARE]: ['......x...........x.....'],
      [HAT]: ['x.x.x.x.x.x.x.x.x.x.x.x.'],
    },
    bass: ['x.........x.5...........', 'x.....x.....5.....5.....'],
    chords: ['x.x.x.x.x.x.x.x.x.x.x.x.', 'x.....................x.', 'a.a.a.a.a.a.a.a.a.a.a.a.'],
  },
  {
    name: 'three-three-two',
    ...{ kept: true, beats: 4, unit: 4, bpm: [84, 132], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x...x...x...x...', 'x..x..x.x..x..x.'],
      [SNARE]: ['...x..x....x..x.', '............x...'],
      [HAT]: ['..x...x...x...x.', '................'],
    },
    bass: ['x..x..x.x..x..x.', 'x.....x.5.....5.'],
    chords: ['x..x..x.x..x..x.', '..x...x...x...x.', 'x...............'],
  },
  {
    name: 'boogie, no drums',
    ...{ kept: true, beats: 4, unit: 4, bpm: [110, 190], steps: 4, swung: true, lead: 0.6, change: [1, 2] },
    drums: {},
    bass: ['x.x.5.5.o.o.5.5.', 'x.5.o.5.x.5.o.5.'],
    chords: ['..x...x...x...x.', '....x.......x...', '......x.......x.'],
  },
  {
    name: 'seven',
    ...{ kept: true, beats: 7, unit: 8, bpm: [180, 320], steps: 2, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.......x.....', 'x...x...x.....'],
      [SNARE]: ['....x.....x...', '....x.......x.'],
      [HAT]: ['x.x.x.x.x.x.x.'],
    },
    bass: ['x.......5.....', 'x...x...5...x.'],
    chords: ['x...x...x.....', 'x.............'],
  },
  {
    name: 'low end of the afternoon',
    ...{ kept: true, beats: 4, unit: 4, bpm: [70, 110], steps: 4, lead: 0.35, change: [1, 2] },
    drums: {
      [KICK]: ['x......x..x.....', 'x.........x.....'],
      [STICK]: ['....x.......x...'],
      [SHAKER]: ['xxxxxxxxxxxxxxxx', '..x...x...x...x.'],
    },
    bass: ['x......x..x.....', 'x.............x.'],
    chords: ['a..a..a..a..a.a.', '...x......x.....', 'x..............x'],
  },
  {
    name: 'seven, three first',
    ...{ kept: false, beats: 7, unit: 8, bpm: [170, 330], steps: 2, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.....x...x...', 'x.............', 'x.....x.......'],
      [STICK]: ['....x.......x.', '......x...x...'],
      [RIDE]: ['x.x.x.x.x.x.x.', 'x.....x...x...'],
    },
    bass: ['x.....x...5...', 'x.............', 'x.....5.......'],
    chords: ['x.....x...x...', 'x.............', 'a.a.a.a.a.a.a.'],
  },
  {
    name: 'two-four, low drum on two',
    ...{ kept: false, beats: 2, unit: 4, bpm: [84, 138], steps: 4, lead: 0.5, change: [1, 2, 4] },
    drums: {
      [45]: ['....x...', 'x...x...', '....x.x.'],
      [SHAKER]: ['xxxxxxxx', 'x.xxx.xx'],
      [STICK]: ['x..x..x.x.x..x..', 'x.x.xx.x.x.x.xx.', '........'],
    },
    bass: ['x..x5..5', 'x...5...', 'x..x..x.'],
    chords: ['x.x.xx.x.x.x.xx.', '..xx..x.', '.x.x.x.x'],
  },
  {
    name: 'gallop',
    ...{ kept: false, beats: 2, unit: 4, bpm: [100, 152], steps: 4, lead: 0.5, change: [1, 2, 4] },
    drums: { [KICK]: ['x...x...', 'x.......'], [SNARE]: ['..xx..xx', '....x...'] },
    bass: ['x.......', 'x...o...', 'x.xxx.xx'],
    chords: ['x.xxx.xx', '..x...x.'],
  },
  {
    name: 'threes across the bar',
    ...{ kept: false, beats: 4, unit: 4, bpm: [84, 150], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x...x...x...x...', 'x.......x.......', 'x......x..x.....'],
      [SNARE]: ['....x.......x...'],
      [HAT]: ['x.x.x.x.x.x.x.x.', '................'],
    },
    bass: ['x.......x.......', 'x.....x.....x...', 'x.x.x.x.x.x.x.x.'],
    chords: ['a..', 'a..a..a..a..a...', 'a..a..a..a..aa..', 'aaaaaa'],
  },
  {
    name: 'driving eighths',
    ...{ kept: false, beats: 4, unit: 4, bpm: [120, 196], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.......x.x.....', 'x.....x.x.......', 'x...x...x...x...'],
      [SNARE]: ['....x.......x...', '....x..x....x...'],
      [OPEN]: ['x...x...x...x...', 'x.x.x.x.x.x.x.x.'],
    },
    bass: ['x.x.x.x.x.x.x.x.'],
    chords: ['x.x.x.x.x.x.x.x.', 'x...............', 'x.....x.........', 'x..x..x.x.x.x.x.'],
  },
  {
    name: 'slow, piano in eighths',
    ...{ kept: false, beats: 4, unit: 4, bpm: [56, 88], steps: 4, lead: 0.4, change: [1, 0.5, 2] },
    drums: {
      [KICK]: ['x.........x.....', 'x.......x.x.....', 'x..............x'],
      [SNARE]: ['....x.......x...'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'xxxxxxxxxxxxxxxx'],
    },
    bass: ['x.......5.......', 'x.............x.', 'x.....x.x.....w.'],
    chords: ['x.x.x.x.x.x.x.x.', 'x...x...x...x...', 'aaaaaaaaaaaaaaaa', 'x...............'],
  },
  {
    name: 'nine-eight',
    ...{ kept: false, beats: 9, unit: 8, bpm: [56, 120], steps: 6, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.................', '..................'],
      [HAT]: ['x.x.x.x.x.x.x.x.x.', '..................'],
    },
    bass: ['x.....5.....5.....', 'x.................', 'x...x.5.....5...5.'],
    chords: ['a.a.a.a.a.a.a.a.a.', 'x.....x.....x.....', '......x.....x.....'],
  },
  {
    name: 'soft latin',
    ...{ kept: false, beats: 4, unit: 4, bpm: [96, 160], steps: 4, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x.....x.x.....x.'],
      [STICK]: ['x.....x.....x.......x.....x.....', '....x.....x...x.......x...x.....'],
      [HAT]: ['x.x.x.x.x.x.x.x.', '................'],
    },
    bass: ['x.....5.5.....x.', 'x.......5.......'],
    chords: ['x.....x.....x.......x.....x.....', '..x...x.....x...', 'x..x......x.....'],
  },
  {
    name: 'train',
    ...{ kept: false, beats: 4, unit: 4, bpm: [90, 132], steps: 4, lead: 0.6, change: [1, 2] },
    drums: { [SNARE]: ['xxxxxxxxxxxxxxxx', '..x...x...x...x.'], [KICK]: ['x...x...x...x...', 'x.......x.......'] },
    bass: ['x.......5.......', 'x...5...x...5...', 'x.......5...w.w.'],
    chords: ['....x.......x...', '..x.x.x...x.x.x.', 'a.aaa.aaa.aaa.aa'],
  },
  {
    name: 'chorale',
    ...{ kept: false, beats: 4, unit: 4, bpm: [60, 112], steps: 4, lead: 0.3, change: [0.25, 0.5, 1] },
    drums: {},
    bass: ['x...x...x...x...', 'x.......x.......', '................'],
    chords: ['x...x...x...x...', 'x.......x...x...', 'x...x...x.......'],
  },
  {
    name: 'long notes',
    ...{ kept: false, beats: 4, unit: 4, bpm: [60, 120], steps: 4, lead: 0.6, change: [1, 2, 0.5] },
    drums: { [SHAKER]: ['....x.......x...', '................'] },
    bass: ['x...............', 'x.......x.......'],
    chords: ['x...............', 'x.......x.......', '..............x.'],
  },
  {
    name: 'broken, fast',
    ...{ kept: false, beats: 4, unit: 4, bpm: [140, 178], steps: 4, lead: 0.25, change: [1, 2, 4] },
    drums: {
      [KICK]: ['x.........x.....', 'x.x.......x.....', 'x.......x.x.....'],
      [SNARE]: ['....x.......x...', '....x..x.x..x...', '....x..x....x..x'],
      [HAT]: ['x.x.x.x.x.x.x.x.', 'xxxxxxxxxxxxxxxx'],
    },
    bass: ['x...............', 'x.....x.....x...', 'x.......o.......'],
    chords: ['x...............', '..x.....x...x...', 'x..x..x.........'],
  },
  {
    name: 'two to the bar, swung',
    ...{ kept: false, beats: 4, unit: 4, bpm: [72, 190], steps: 4, swung: true, lead: 0.6, change: [1, 0.5] },
    drums: {
      [RIDE]: ['x...x...x...x...', 'x.....x.x.....x.', '................'],
      [HAT]: ['....x.......x...', '................'],
      [STICK]: ['............x...', '................'],
    },
    bass: ['x.......5.......', 'x.......5.....w.', 'x.....x.5.......'],
    chords: ['....x.......x...', '..x.......x.....', 'x.............x.', '......x.........'],
  },
  {
    name: 'pressed sixteenths',
    ...{ kept: false, beats: 4, unit: 4, bpm: [92, 136], steps: 4, lead: 0.3, change: [1, 2, 4] },
    drums: {
      [KICK]: ['x...x...x...x...', 'x.......x.......', 'x.....x...x.....'],
      [STICK]: ['....x.......x...', '....x.......x..x'],
      [HAT]: ['..x...x...x...x.', 'x.xxx.xxx.xxx.xx'],
    },
    bass: ['.xxx.xxx.xxx.xxx', 'xxxxxxxxxxxxxxxx', 'x..x..x..x..x...', 'x.xo.x.ox.xo.x.o'],
    chords: ['x...............', 'a.aa.aa.a.aa.aa.', '...x...x...x...x'],
  },
  {
    name: 'three, no drums',
    ...{ kept: false, beats: 3, unit: 4, bpm: [66, 168], steps: 4, lead: 0.5, change: [1, 2] },
    drums: {},
    bass: ['x...........', 'x.......x...', '............', 'x.....x.....'],
    chords: ['a.a.a.a.a.a.', 'x...x...x...', '....x...x...', 'x.......x...'],
  },
  {
    name: 'chords off the beat, no drums',
    ...{ kept: false, beats: 4, unit: 4, bpm: [76, 180], steps: 4, lead: 0.5, change: [1, 0.5] },
    drums: {},
    bass: ['x...5...x...5...', 'x.......5.......', 'x...w...w...w...'],
    chords: ['..x...x...x...x.', '....x.......x...', '..x.....x.x.....'],
  },
  {
    name: 'slow, in four by threes',
    ...{ kept: false, beats: 12, unit: 8, bpm: [44, 92], steps: 6, lead: 0.4, change: [1, 0.5, 2] },
    drums: {
      [KICK]: ['x.....................x.', 'x.......x...x...........', 'x.....x.....x.....x.....'],
      [STICK]: ['......x...........x.....', '............x...........'],
      [RIDE]: ['x.....x.....x.....x.....', 'x...x.x...x.x...x.x...x.', '........................'],
    },
    bass: ['x.....5.....x.....5.....', 'x...........5...........', 'x...w.x...w.x...w.x...w.'],
    chords: [
      'a.a.a.a.a.a.a.a.a.a.a.a.',
      'x.....x.....x.....x.....',
      'x.......................',
      '..x.x...x.x...x.x...x.x.',
    ],
  },
  {
    name: 'seven, three last',
    ...{ kept: false, beats: 7, unit: 8, bpm: [170, 330], steps: 2, lead: 0.4, change: [1, 2] },
    drums: {
      [KICK]: ['x...x...x.....', 'x.......x..x..'],
      [STICK]: ['..x...x....x..', '....x.........'],
      [SHAKER]: ['x.x.x.x.x.x.x.', '..............'],
    },
    bass: ['x...x...x.....', 'x.............', 'x...5...x.5...'],
    chords: ['a.a.a.a.a.a.a.', '..x...x...x.x.', 'x.......x.....'],
  },
  {
    name: 'swung, no drums',
    ...{ kept: false, beats: 4, unit: 4, bpm: [84, 184], steps: 4, swung: true, lead: 0.6, change: [1, 0.5, 2] },
    drums: {},
    bass: ['x...5...x...5...', 'x.......5.......', 'x...w...w...w...', 'x.x.x.x.x.x.x.x.'],
    chords: ['....x.......x...', 'x.....x.....x...', '..x...x...x...x.', 'x...x...x...x...'],
  },
];
