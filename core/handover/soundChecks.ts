import { many } from '../vocabulary/many';
import { tempoMap, secondsAt, type TempoMap } from '../time/tempo';
import { barAt, barStart } from '../time/meter';
import type { Seconds } from '../time/units';
import { placeWords } from '../picking/joins';
import { unsounded } from '../reading/sound';
import { soundName } from '../vocabulary/sounds';
import { type Found, type Looked } from './checkTypes';

/** Checks of a part that goes out as recorded sound. */
export const soundChecks = (looked: Looked): Found[] =>
  [noSound, soundStays, anotherTempo].flatMap((look) => look(looked));

/** Bars with notes and without recorded sound, of a part that goes out as recorded. */
function noSound({ part, line, sounds, again, song, maps }: Looked): Found[] {
  if (part.heardAs !== 'recorded') return [];
  const bare = unsounded(line.notes, [...sounds, ...again], maps.end);
  const bars = [...new Set(bare.map((n) => Math.max(1, barAt(maps.meter, n.start))))].filter((b) => b <= song.bars);
  if (bars.length === 0) return [];
  const at = barStart(maps.meter, bars[0]!);
  return [
    {
      ...{ kind: 'no sound', about: bars, at, station: 'play' },
      words: `${many(bars.length, 'bar')} played without its sound, from bar ${bars[0]} on: silent in its audio`,
      mend: {
        words: `let ${soundName(part.sound)} sound it`,
        command: { type: 'set part', part: part.id, to: { heardAs: 'program' } },
      },
    },
  ];
}

/** Finding of edits to notes that their recorded sound lacks, so that a client would get two versions. */
function soundStays({ part, sounds, maps }: Looked): Found[] {
  const changed = sounds.filter(
    (s) =>
      s.take.edits.length > 0 ||
      part.treatments.some(
        (t) => t.from < s.to && t.to > s.from && (!t.layers || t.layers.includes(s.layer.header.id)),
      ),
  );
  if (changed.length === 0) return [];
  const at = Math.max(0, changed[0]!.from);
  return [
    {
      ...{ kind: 'sound stays', about: changed.map((s) => s.fingerprint), at, station: 'tidy', mend: null },
      words: `its notes are treated or changed by hand, and its recorded sound is as it was played, from ${placeWords(
        at,
        maps.meter,
      )} on: it can be sounded again, from the part’s sound in Play`,
    },
  ];
}

/** Largest drift of sound against its bars, where it was recorded at another tempo. */
const DRIFT: Seconds = 0.01;
function anotherTempo({ sounds, maps }: Looked): Found[] {
  const off = sounds.filter(({ layer, take, from, to }) => {
    if (take.warps.length > 0) return false;
    const then = tempoMap(layer.header.tempo);
    const lasted = (map: TempoMap): Seconds => secondsAt(map, to) - secondsAt(map, from);
    return Math.abs(lasted(then) - lasted(maps.tempo)) > DRIFT;
  });
  if (off.length === 0) return [];
  const at = Math.max(0, off[0]!.from);
  return [
    {
      ...{ kind: 'another tempo', about: off.map((s) => s.fingerprint), at, station: 'set-up', mend: null },
      words: `take ${off[0]!.take.number} was recorded in another tempo, and its sound does not follow the bars`,
    },
  ];
}
