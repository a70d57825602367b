import { z } from 'zod';
import { PATTERNS } from '../backing/patterns';
import { MODES } from '../recording/clears';
import { LAP_POLICIES, WAITS } from '../recording/settings';
import { ENDS } from '../timing/treatment';
import { GRIDS } from '../timing/grid';

/** The inks a part can be written in; their colours are the screen's business. */
export const INKS = ['sea', 'moss', 'plum', 'brass', 'rust', 'slate'] as const;

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

const id = z.string().min(1).max(80);
const name = z.string().trim().min(1).max(120);
const tick = z.number().finite().min(-1e9).max(1e9);
const gainDb = z.number().min(-60).max(12);
const range = { from: tick, to: tick };

const recipe = {
  grid: z.enum(GRIDS as [(typeof GRIDS)[number], ...typeof GRIDS]),
  strength: z.number().min(0).max(1),
  ends: z.enum(ENDS),
};
export const recipeSchema = z.object(recipe).readonly();

export const tempoChangeSchema = z
  .object({
    tick,
    bpm: z.number().min(5).max(1000),
    ramp: z.enum(['jump', 'linear']).optional(),
  })
  .readonly();

export const meterChangeSchema = z
  .object({
    bar: z.number().int().min(1).max(100_000),
    beats: z.number().int().min(1).max(64),
    unit: z
      .number()
      .refine((unit) => [1, 2, 4, 8, 16, 32].includes(unit), 'a beat is a 1, 1/2, 1/4, 1/8, 1/16 or 1/32 note'),
  })
  .readonly();

export const placementSchema = z
  .object({
    policy: z.enum(['played', 'heard']),
    nudge: z.number().min(-1000).max(1000),
  })
  .readonly();

const warpSchema = z
  .object({
    /** It moves the take's first so many layers: later ones were recorded after it. */
    layers: z.number().int().min(1),
    /** From which of the song's former tempos, and to which, by their place in `clocks`. */
    from: z.number().int().min(0),
    to: z.number().int().min(0),
    /** In seconds: how much later it lies on the new clock. */
    shift: z.number().min(-7200).max(7200),
  })
  .readonly();

const takeSchema = z
  .object({
    id,
    /** Counts up within the part; never used again. */
    number: z.number().int().min(1),
    layers: z.array(id).min(1),
    ...range,
    placement: placementSchema,
    /** ISO 8601. */
    at: z.string(),
    /**
     * How its layers have moved since they were recorded, when the tempo changed and they stayed with the recording.
     */
    warps: z.array(warpSchema).readonly().default([]),
    /** For a layer that lies in only some stretches of the take: another take was heard in the rest of its pass. */
    windows: z.record(id, z.array(z.object(range).readonly()).readonly()).default({}),
    /** Layers that are not heard. */
    muted: z.array(id).readonly().default([]),
  })
  .readonly();

const pickSchema = z.object({ ...range, takeId: id }).readonly();
const treatmentSchema = z
  .object({
    id,
    ...range,
    ...recipe,
    /** The layers whose notes it moves, where it is not all. */
    layers: z.array(id).min(1).optional(),
  })
  .readonly();

const partSchema = z
  .object({
    id,
    name,
    ink: z.enum(INKS),
    sound: z.enum(SOUNDS),
    gainDb,
    muted: z.boolean(),
    solo: z.boolean(),
    placement: placementSchema,
    /**
     * How the player hears the keys: through this program, by the keyboard's own sound, or by an instrument at a MIDI
     * output.
     */
    monitor: z.enum(['program', 'keyboard', 'output']).default('program'),
    /** That output's id. */
    output: z.string().max(200).nullable().default(null),
    /** Whether the line that is there is heard while it is recorded over. */
    overLine: z.boolean().default(false),
    takes: z.array(takeSchema).readonly(),
    comp: z.array(pickSchema).readonly(),
    treatments: z.array(treatmentSchema).readonly(),
    /** What was last handed over, to see what has changed since; null before the first time. */
    handed: z
      .object({
        at: z.string(),
        comp: z.array(pickSchema).readonly(),
        treatments: z.array(treatmentSchema).readonly(),
        /** What each take was then, as `takeSign` says it. */
        takes: z.record(id, z.string().max(200)),
      })
      .readonly()
      .nullable()
      .default(null),
    /** The written part that the Bench keyboard can perform, by its name in the demo, or null. */
    sheet: z.string().max(80).nullable(),
  })
  .readonly();

/** One track of a MIDI file that plays along, on the song's own bars. */
const trackSchema = z
  .object({
    /** Which of the file's tracks, as the reader numbers them. */
    track: z.number().int().min(0).max(4096),
    /** General MIDI program, 0 to 127; for drums the kit. */
    program: z.number().int().min(0).max(127),
    drums: z.boolean(),
  })
  .readonly();

const backingSchema = z
  .object({
    id,
    name,
    /** Content hash of the file: audio, or a Standard MIDI File when `midi` is there. */
    audio: z.string().regex(/^[0-9a-f]{64}$/),
    midi: trackSchema.nullable().default(null),
    gainDb,
    /** -1 left to 1 right. */
    pan: z.number().min(-1).max(1).default(0),
    muted: z.boolean(),
    solo: z.boolean(),
    /** Where the file's start lies on the song's clock, in seconds. Of a MIDI track: not used, it follows the bars. */
    offset: z.number().min(-3600).max(3600),
    length: z.number().min(0).max(36_000),
  })
  .readonly();

const sectionSchema = z
  .object({
    id,
    name,
    bars: z.number().int().min(1).max(2000),
    /** The rhythm on the drum bank under it, or null. */
    pattern: z.enum(PATTERNS).nullable().default(null),
  })
  .readonly();

export const CLICK_SOUNDS = ['wood', 'tick', 'tone'] as const;
export type ClickSound = (typeof CLICK_SOUNDS)[number];
export const CLICK_WHEN = ['counting', 'recording', 'always', 'never'] as const;
export type ClickWhen = (typeof CLICK_WHEN)[number];

const clickSchema = z
  .object({
    sound: z.enum(CLICK_SOUNDS).default('tone'),
    /** Whether a bar's first beat sounds different. */
    accent: z.boolean().default(true),
    /** Strokes a beat: 1 for the beats alone. */
    subdivision: z.number().int().min(1).max(4).default(1),
    /** When it is heard: only while counting, also while recording, always, or not even while counting. */
    when: z.enum(CLICK_WHEN).default('always'),
    gainDb,
  })
  .readonly();

const keyNumber = z.number().int().min(0).max(127);
const keysSchema = z.object({ low: keyNumber, high: keyNumber }).readonly();

const spanSchema = z.object({ count: z.number().int().min(0).max(64), unit: z.enum(['bars', 'beats']) }).readonly();
export const briefSchema = z
  .object({
    countOffBars: z.number().int().min(0).max(8),
    /** Beats of count-off in place of bars, or null. */
    countOffBeats: z.number().int().min(1).max(32).nullable().default(null),
    /** The part that hears the keys, or null. */
    part: id.nullable(),
    /** The port that part hears by its id, or null for any. */
    keyboard: z.string().max(200).nullable(),
    /** The keys that part hears. */
    keys: keysSchema.default({ low: 0, high: 127 }),
    /** Other parts that hear the keys at the same time. */
    also: z
      .array(
        z.object({ part: id, keyboard: z.string().max(200).nullable(), low: keyNumber, high: keyNumber }).readonly(),
      )
      .max(14)
      .readonly()
      .default([]),
    mode: z.enum(MODES),
    /** Where recording goes in and out, as far as they are switched on; null: never set. */
    range: z.object(range).readonly().nullable(),
    /** Without it, recording goes from the playhead. */
    punchIn: z.boolean().default(true),
    /** Without it, recording goes to the song's end. */
    punchOut: z.boolean().default(true),
    /** What bars and brackets are set to when they are dragged. */
    snap: z.enum(['bar', 'beat', 'free']).default('bar'),
    /** Whether Play counts off as well. */
    countOnPlay: z.boolean().default(false),
    /** Whether the count goes round until the first note. */
    wait: z.enum(WAITS).default('no'),
    /** How much music is heard before the recording begins, and whether it is. */
    leadIn: spanSchema.default({ count: 0, unit: 'bars' }),
    leadInOn: z.boolean().default(true),
    /** How much music follows the recording's end. */
    leadOut: spanSchema.default({ count: 0, unit: 'bars' }),
    /** Goes round between in and out. */
    loop: z.boolean().default(false),
    /** What each lap does, in place of the mode. */
    laps: z.enum(LAP_POLICIES).default('a new take each'),
    /** How far ahead of the start a strike still belongs to the recording, in ticks; at most a quarter. */
    early: z.number().min(0).max(960).default(240),
    /** How long a rest ends a phrase, for "replace while I play", in ticks. */
    gap: z
      .number()
      .min(1)
      .max(960 * 16)
      .default(960),
    /** The one controller that is recorded, its lane's name, or null for everything. */
    ride: z.string().max(40).nullable().default(null),
    quantize: recipeSchema.nullable(),
  })
  .readonly();

export const songSchema = z
  .object({
    version: z.literal(1),
    title: name,
    notes: z.string().max(5000).default(''),
    /** In bars, from bar 1. */
    bars: z.number().int().min(1).max(5000),
    tempo: z.array(tempoChangeSchema).min(1).max(20_000).readonly(),
    meter: z.array(meterChangeSchema).min(1).max(5000).readonly(),
    /** In order, from bar 1; what they do not cover has no name. */
    sections: z.array(sectionSchema).max(500).readonly(),
    backings: z.array(backingSchema).max(32).readonly(),
    parts: z.array(partSchema).max(15).readonly(),
    click: clickSchema,
    /** Level of the sections' rhythms. */
    rhythm: z.object({ gainDb, muted: z.boolean() }).readonly().default({ gainDb: -8, muted: false }),
    /** Tempo maps the song once had, for takes that stayed with the recording. */
    clocks: z.array(z.array(tempoChangeSchema).min(1).max(20_000).readonly()).max(500).readonly().default([]),
    /** How fast everything runs, 1 as written. */
    speed: z.number().min(0.5).max(1).default(1),
    brief: briefSchema,
  })
  .readonly();

export type SongDocument = z.infer<typeof songSchema>;
export type Part = SongDocument['parts'][number];
export type Take = Part['takes'][number];
/** FNV-1a (Fowler, Noll, Vo), twice with different starts: 64 bits that tell one text from another. */
function fingerprint(text: string): string {
  const hash = (start: number): number => {
    let value = start;
    for (let i = 0; i < text.length; i += 1) value = Math.imul(value ^ text.charCodeAt(i), 0x01000193);
    return value >>> 0;
  };
  return [hash(0x811c9dc5), hash(0x9747b28c)].map((half) => half.toString(16).padStart(8, '0')).join('');
}

/**
 * Changes whenever a take would sound different: by other layers in it, another placement, another tempo that it sat
 * out.
 */
export const takeSign = ({
  layers,
  placement,
  warps,
  windows,
  muted,
}: Pick<Take, 'layers' | 'placement' | 'warps' | 'windows' | 'muted'>): string =>
  fingerprint(
    JSON.stringify([
      layers,
      placement.policy,
      placement.nudge,
      warps.map((w) => [w.layers, w.from, w.to, w.shift]),
      Object.entries(windows).sort(([x], [y]) => (x < y ? -1 : 1)),
      [...muted].sort(),
    ]),
  );
export type Backing = SongDocument['backings'][number];
export type Section = SongDocument['sections'][number];
export type Brief = SongDocument['brief'];

export interface NewPart {
  readonly id: string;
  readonly name: string;
  readonly sound?: Sound;
  readonly sheet?: string | null;
  readonly gainDb?: number;
}

/** A part with nothing played; its ink follows from how many there are. */
export function newPart(
  { id: partId, name: title, sound = 'concert grand', sheet = null, gainDb: db = -6 }: NewPart,
  count: number,
): Part {
  return {
    id: partId,
    name: title,
    ink: INKS[count % INKS.length]!,
    sound,
    gainDb: db,
    muted: false,
    solo: false,
    placement: { policy: 'heard', nudge: 0 },
    monitor: 'program',
    output: null,
    overLine: false,
    takes: [],
    comp: [],
    treatments: [],
    handed: null,
    sheet,
  };
}

/** Notes, click, rhythm and speed of a song in which nothing of them has been set. */
export const PLAIN: Pick<SongDocument, 'notes' | 'click' | 'rhythm' | 'clocks' | 'speed'> = {
  notes: '',
  click: { sound: 'tone', accent: true, subdivision: 1, when: 'always', gainDb: -10 },
  rhythm: { gainDb: -8, muted: false },
  clocks: [],
  speed: 1,
};

/** How a pass goes when nothing has been asked for: one bar's count, then a new take. */
export const PLAIN_PASS = {
  countOffBars: 1,
  countOffBeats: null,
  mode: 'new take',
  countOnPlay: false,
  wait: 'no',
  leadIn: { count: 0, unit: 'bars' },
  leadInOn: true,
  leadOut: { count: 0, unit: 'bars' },
  loop: false,
  laps: 'a new take each',
  early: 240,
  gap: 960,
  ride: null,
  quantize: null,
} as const satisfies Partial<Brief>;

/** A brief that asks for a plain new take of a part. */
export const newBrief = (part: string | null): Brief => ({
  ...PLAIN_PASS,
  part,
  keyboard: null,
  keys: { low: 0, high: 127 },
  also: [],
  range: null,
  punchIn: true,
  punchOut: true,
  snap: 'bar',
});

/** A song with one piano part that hears the keys, and nothing else set. */
export function newSong(title: string, partId: string): SongDocument {
  return {
    version: 1,
    title,
    bars: 32,
    tempo: [{ tick: 0, bpm: 100 }],
    meter: [{ bar: 1, beats: 4, unit: 4 }],
    sections: [],
    backings: [],
    parts: [newPart({ id: partId, name: 'Piano' }, 0)],
    ...PLAIN,
    brief: newBrief(partId),
  };
}
