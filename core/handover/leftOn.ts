import { many } from '../vocabulary/many';
import { CHORD } from '../editing/notes';
import { drawLane, PEDAL, pedalBars, pointsOf, scaleOf } from '../editing/lanes';
import { laneOf, type Lane } from '../performance/controls';
import { keyName } from '../performance/messages';
import { placeWords } from '../picking/joins';
import type { SongMaps } from '../document/maps';
import { meterAt } from '../time/meter';
import type { TickRange } from '../time/units';
import type { TreatedNote } from '../timing/treatment';
import { edits, type Found, type Looked } from './checkTypes';

/** Length in bars, and factor on the part's usual length, from which a note was never released. */
const HANGING_BARS = 4;
const HANGING_TIMES = 12;
/**
 * Limits for a shorter hanging note, which rubs with later notes: bars, factor on the usual length, notes meanwhile.
 */
const HANGING_RUBS_BARS = 2;
const HANGING_RUBS_TIMES = 6;
const HANGING_RUBS_LATER = 6;
/** Bars from which a pedal was forgotten, with twice as many notes meanwhile. */
const PEDAL_BARS = 6;
/** Controllers that silence a part at 0. */
const TURNED_DOWN: readonly { readonly lane: Lane; readonly name: string }[] = [
  { lane: 'control 11', name: 'expression' },
  { lane: 'control 7', name: 'volume' },
];
const TURNED_DOWN_AT = 2;
/** Findings of things left on: hanging notes, a pedal that stays down, controllers at 0 or off their rest. */
export const leftOn = (looked: Looked): Found[] =>
  [hangs, pedalHeld, turnedDown, notAtRest].flatMap((look) => look(looked));

function hangs({ line, maps }: Looked): Found[] {
  return hanging(line.notes, maps).map(({ note, bars }): Found => ({
    ...{ kind: 'hanging', about: note.id, at: note.start, station: 'tidy', mend: null },
    words: `${keyName(note.key)} at ${placeWords(note.start, maps.meter)} hangs for ${barsWords(bars)}`,
  }));
}

/** Words such as "4 bars", "2.5 bars". */
const barsWords = (bars: number): string => `${Math.round(bars * 10) / 10} bars`;
const barsOf = ({ from, to }: TickRange, { meter }: SongMaps): number =>
  (to - from) / meterAt(meter, Math.max(0, from)).ticksPerBar;

/**
 * Notes that were never released: very long ones; or shorter ones that are out of proportion, struck alone, not in the
 * bass, and dissonant with later notes.
 */
function hanging(notes: readonly TreatedNote[], maps: SongMaps): { note: TreatedNote; bars: number }[] {
  const lengths = notes.map((n) => n.end - n.start).sort((a, b) => a - b);
  const usual = lengths[lengths.length >> 1] ?? 0;
  return notes.flatMap((note, i) => {
    const length = note.end - note.start;
    const bars = barsOf({ from: note.start, to: note.end }, maps);
    if (note.fixed || bars < HANGING_RUBS_BARS) return [];
    if (bars >= HANGING_BARS && length >= usual * HANGING_TIMES) return [{ note, bars }];
    if (length < usual * HANGING_RUBS_TIMES) return [];
    const isWith = (n: TreatedNote): boolean =>
      n !== note && Math.abs(n.start - note.start) < CHORD && n.end - n.start > length / 2;
    let [rubs, later, isLowest] = [0, 0, true];
    for (let k = Math.max(0, i - 16); k < notes.length && notes[k]!.start < note.end; k += 1) {
      const other = notes[k]!;
      if (isWith(other)) return [];
      if (other.start <= note.start + CHORD) continue;
      later += 1;
      if (other.key < note.key) isLowest = false;
      const apart = Math.abs(other.key - note.key) % 12;
      if (apart === 1 || apart === 11) rubs += 1;
    }
    return later >= HANGING_RUBS_LATER && rubs >= 2 && !isLowest ? [{ note, bars }] : [];
  });
}

/** Pedals that stay down for long while much is played. */
function pedalHeld({ line, maps }: Looked): Found[] {
  return pedalBars(pointsOf(line.controls, PEDAL), maps.end).flatMap((press): Found[] => {
    const bars = barsOf(press, maps);
    const struck = line.notes.filter((n) => n.start > press.from && n.start < press.to).length;
    if (bars < PEDAL_BARS || struck < PEDAL_BARS * 2) return [];
    return [
      {
        ...{ kind: 'pedal held', about: [press.from, press.to], at: Math.max(0, press.from), station: 'tidy' },
        words: `the pedal stays down for ${barsWords(bars)} from ${placeWords(press.from, maps.meter)} on`,
        mend: null,
      },
    ];
  });
}

/** Notes that nobody hears, because expression or volume is 0 throughout. */
function turnedDown({ line }: Looked): Found[] {
  return TURNED_DOWN.flatMap(({ lane, name }): Found[] => {
    const points = pointsOf(line.controls, lane);
    const down = points.flatMap(([at, value], i): TickRange[] =>
      value <= TURNED_DOWN_AT ? [{ from: at, to: points[i + 1]?.[0] ?? Infinity }] : [],
    );
    const unheard = line.notes.filter((n) => down.some((d) => n.start >= d.from && n.end <= d.to));
    if (unheard.length === 0) return [];
    return [
      {
        ...{ kind: 'turned down', about: [lane, unheard.map((n) => n.id)], at: unheard[0]!.start, station: 'tidy' },
        words: `${many(unheard.length, 'note')} not heard: the ${name} is at 0`,
        mend: null,
      },
    ];
  });
}

const NOT_AT_REST: Readonly<Record<Lane, string>> = {
  [PEDAL]: 'the pedal is down',
  bend: 'the bend is not at rest',
  'control 11': 'the expression is left at 0',
};
function isAtRest(lane: Lane, value: number, rest: number): boolean {
  if (lane === PEDAL) return value < 64;
  return lane === 'bend' ? value === rest : value > TURNED_DOWN_AT;
}

function notAtRest({ part, line, maps }: Looked): Found[] {
  const lanes = new Set<Lane>(line.controls.map((c) => laneOf(c.message)));
  return [PEDAL, 'bend', 'control 11'].flatMap((lane): Found[] => {
    if (!lanes.has(lane)) return [];
    const last = pointsOf(line.controls, lane)
      .filter(([at]) => at <= maps.end)
      .at(-1);
    const { rest } = scaleOf(lane);
    if (!last || isAtRest(lane, last[1], rest)) return [];
    const at = maps.end - 1;
    const draws = drawLane(part, lane, { from: at, to: maps.end + 1 }, [[at, rest]]);
    return [
      {
        ...{ kind: 'not at rest', about: [lane, last], at: last[0], station: 'tidy' },
        words: `${NOT_AT_REST[lane] ?? 'a controller is not at rest'} when the song ends`,
        mend: draws.length
          ? {
              words: lane === PEDAL ? 'lift it at the end' : 'let it rest at the end',
              command: edits(part, 'the end of a controller', draws),
            }
          : null,
      },
    ];
  });
}
