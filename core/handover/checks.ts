import { many } from '../vocabulary/many';
import { formOf } from '../client/meant';
import { noteBarsWords } from '../client/noteStates';
import { lazily } from '../lazily';
import type { SongDocument } from '../document/document';
import { sectionsOf, type PlacedSection, type SongMaps } from '../document/maps';
import type { Part } from '../document/part';
import { fingerprint } from '../document/take';
import { doubledIn, takeMends } from '../editing/mends';
import { letGo } from '../editing/notes';
import { shownOf } from '../editing/editedView';
import { layerOfNote } from '../performance/notes';
import { joinsOf, placeWords } from '../picking/joins';
import { decidedOf, lineOf, untreatedLine, type Layers, type Reader, songReader } from '../reading/reading';
import { barAt, barStart } from '../time/meter';
import { rangeWords } from '../time/words';
import type { Decibels, Ticks } from '../time/units';
import { frameOf, soundRanges } from '../reading/sound';
import { soundedRanges } from '../reading/soundedAgain';
import { nearestGridPoint } from '../timing/grid';
import type { TreatedNote, TreatedReading } from '../timing/treatment';
import { doubtsOf } from '../timing/doubts';
import { eachOnce, type Delivery } from './delivery';
import { edits, type Check, type CheckKind, type Found, type Looked } from './checkTypes';
import { leftOn } from './leftOn';
import { soundChecks } from './soundChecks';

export type { Check, CheckKind, CheckStation } from './checkTypes';

/** Number of bars from which empty bars between played ones are reported, and the most other gaps. */
const PLAYS_ON_BARS = 6;
const MOST_GAP = 2;
const MOST_EMPTY = 0.15;
/** Distance from all usual grid lines beyond which a note that was placed by hand is reported. */
const OFF_LINE: Ticks = 12;
const WRITTEN = ['32 straight', '16 triplet', '16 quintuplet'] as const;
/** Longest time that a backing may ring after the song's end, in seconds. */
const BACKING_RINGS = 4;

function silent({ part, line, maps, sounds, again }: Looked): Found[] {
  if (sounds.length > 0 || again.length > 0) return [];
  const heard = line.notes.some((n) => n.end > 0 && n.start < maps.end && n.velocity > 0);
  if (heard) return [];
  const takes = part.takes.length > 0;
  return [
    {
      ...{ kind: 'silent', about: takes, at: null, mend: null },
      words: takes ? 'is silent: it has takes, and none of them is picked' : 'is silent: nothing is played yet',
      station: takes ? 'pick' : 'play',
    },
  ];
}

function mended({ part, line, reader, maps }: Looked): Found[] {
  const shown = lazily(() => shownOf(part, reader, maps, part.treatments, line));
  const found: Found[] = [];
  for (const mend of doubledIn(line, maps))
    found.push({
      ...{ kind: 'doubled', about: mend.id, at: mend.at, words: mend.words, station: 'tidy' },
      mend: {
        words: 'take the softer one out',
        command: edits(part, 'a doubled note', takeMends([mend], part, shown())),
      },
    });
  return found;
}

function outside({ line, maps }: Looked): Found[] {
  const { end, meter } = maps;
  const out = line.notes.filter((n) => n.end <= 0 || n.start >= end);
  const cut = line.notes.filter((n) => n.start < end && n.start >= 0 && n.end > end + 1);
  const found: Found[] = [];
  if (out.length > 0)
    found.push({
      ...{ kind: 'outside', about: out.map((n) => n.id), at: out[0]!.start, mend: null, station: 'tidy' },
      words: `${many(out.length, 'note')} outside the song, at ${placeWords(out[0]!.start, meter)}`,
    });
  if (cut.length > 0)
    found.push({
      ...{ kind: 'cut', about: cut.map((n) => n.id), at: cut[0]!.start, mend: null, station: 'tidy' },
      words: `${many(cut.length, 'note')} cut by the song’s end`,
    });
  return found;
}

const kindOfSection = (name: string): string => name.replace(/[\s\d.]+$/, '').toLowerCase();

/** Bars without notes, in a section of which the part plays another of the same kind. */
function notPlayed({ line, song, maps }: Looked): Found[] {
  const { meter } = maps;
  const played = new Set<number>();
  for (const n of line.notes) {
    // A bar that a note rings into is not empty.
    const last = Math.min(song.bars, barAt(meter, Math.max(n.start, n.end - 1)));
    for (let bar = Math.max(1, barAt(meter, n.start)); bar <= last; bar += 1) played.add(bar);
  }
  const named = sectionsOf(song, meter).filter((s) => s.name);
  if (named.length === 0) return gaps(played, maps);
  const barOf = (s: PlacedSection, index: number) => s.firstBar + index;
  const found: Found[] = [];
  for (const section of named) {
    const alike = named.filter((s) => s !== section && kindOfSection(s.name) === kindOfSection(section.name));
    const missing: number[] = [];
    for (let i = 0; section.firstBar + i <= section.lastBar; i += 1) {
      const elsewhere = alike.some((s) => barOf(s, i) <= s.lastBar && played.has(barOf(s, i)));
      if (!played.has(barOf(section, i)) && elsewhere) missing.push(barOf(section, i));
    }
    if (missing.length === 0) continue;
    const whole = missing.length === section.lastBar - section.firstBar + 1;
    const range = { from: barStart(meter, missing[0]!), to: barStart(meter, missing.at(-1)! + 1) };
    found.push({
      ...{ kind: 'not played', about: missing, at: range.from, station: 'play', mend: null },
      words: whole ? `${section.name} is not played` : `${rangeWords(range, meter)} of ${section.name} not played`,
    });
  }
  return found;
}

/** Gaps of a bar or two in a part that otherwise plays on, for songs without named sections. */
function gaps(played: ReadonlySet<number>, { meter }: SongMaps): Found[] {
  const bars = [...played].sort((a, b) => a - b);
  const [first, last] = [bars[0] ?? 0, bars.at(-1) ?? 0];
  const empty = last - first + 1 - bars.length;
  if (bars.length < PLAYS_ON_BARS || empty === 0 || empty > MOST_EMPTY * (last - first + 1)) return [];
  return bars.flatMap((bar, i): Found[] => {
    const missing = (bars[i + 1] ?? bar + 1) - bar - 1;
    if (missing < 1 || missing > MOST_GAP) return [];
    const range = { from: barStart(meter, bar + 1), to: barStart(meter, bar + 1 + missing) };
    return [
      {
        ...{ kind: 'not played', about: [bar, missing], at: range.from, station: 'play', mend: null },
        words: `${rangeWords(range, meter)} not played, in the midst of what is`,
      },
    ];
  });
}

function joins({ part, reader, maps }: Looked): Found[] {
  const takes = new Map(part.takes.map((t) => [t.id, t]));
  const read = (takeId: string) => {
    const take = takes.get(takeId);
    return take ? reader.read(take) : { notes: [], controls: [] };
  };
  return joinsOf(part, read, maps.tempo, maps.meter)
    .filter((j) => j.state === 'open')
    .map((j): Found => ({
      ...{ kind: 'join', about: [j.at, j.fingerprint], at: j.at, station: 'pick', mend: null },
      words: `the join at ${placeWords(j.at, maps.meter)} wants a look`,
    }));
}

function marked({ part, maps }: Looked): Found[] {
  const no = new Map(part.takes.filter((t) => t.mark === 'no').map((t) => [t.id, t]));
  return part.comp.flatMap((pick): Found[] => {
    const take = no.get(pick.takeId);
    if (!take) return [];
    const where = rangeWords({ from: Math.max(0, pick.from), to: pick.to }, maps.meter);
    return [
      {
        ...{ kind: 'take marked no', about: [take.id, pick.from, pick.to], at: pick.from, station: 'pick', mend: null },
        words: `${where} from take ${take.number}, which is marked “no”`,
      },
    ];
  });
}

function ears({ part, line, reader, maps }: Looked): Found[] {
  if (part.treatments.length === 0) return [];
  const before = untreatedLine(part, reader.read);
  const doubts = doubtsOf(before, line, part.treatments, maps, decidedOf(part));
  if (doubts.length === 0) return [];
  const at = Math.min(...doubts.map((d) => d.notes[0]!.start));
  return [
    {
      ...{ kind: 'ear', about: doubts.map((d) => [d.notes[0]!.id, d.line]), at, station: 'tidy', mend: null },
      words: `${many(doubts.length, 'place')} where notes need your ear, the first at ${placeWords(at, maps.meter)}`,
    },
  ];
}

function offEveryLine({ part, line, reader, maps }: Looked): Found[] {
  const isOff = (note: TreatedNote): boolean =>
    (note.fixed === 'start' || note.fixed === 'both') &&
    WRITTEN.every((grid) => Math.abs(nearestGridPoint(grid, maps.meter, note.start) - note.start) > OFF_LINE);
  const off = line.notes.filter(isOff);
  if (off.length === 0) return [];
  const shown = shownOf(part, reader, maps, part.treatments, line);
  const treated = part.treatments.length > 0;
  return [
    {
      ...{ kind: 'off every line', about: off.map((n) => [n.id, Math.round(n.start)]), station: 'tidy' },
      at: off[0]!.start,
      words:
        `${many(off.length, 'note')} put by hand off every line, ` +
        `the first at ${placeWords(off[0]!.start, maps.meter)}`,
      // Without a treatment there is nothing to give the notes back to.
      mend: treated
        ? {
            words: 'give them back to the treatment',
            command: edits(part, 'giving notes back to the treatment', letGo(off, shown)),
          }
        : null,
    },
  ];
}

/** A part placed as it was heard depends on the latency, which may be the system's report alone. */
function neverMeasured({ part, line }: Looked, layers: Layers): Found[] {
  const heard = new Set(line.notes.map(layerOfNote));
  const takes = part.takes.filter(
    (t) =>
      t.placement.policy === 'played' && part.comp.some((p) => p.takeId === t.id) && t.layers.some((l) => heard.has(l)),
  );
  const guessed = takes.filter((t) =>
    t.layers.some((l) => {
      const header = layers.get(l)?.header;
      return heard.has(l) && header?.source === 'pass' && !header.latency.measured;
    }),
  );
  if (guessed.length === 0) return [];
  return [
    {
      ...{ kind: 'never measured', about: guessed.map((t) => t.id), at: null, station: 'line-check', mend: null },
      words: `is placed by figures that were never measured (${many(guessed.length, 'take')})`,
    },
  ];
}

function ofSong(song: SongDocument, parts: readonly Part[], maps: SongMaps): Check[] {
  const found: Check[] = [];
  const names = parts.map((p) => `${p.name}.`);
  eachOnce(names).forEach((own, i) => {
    if (own === names[i]) return;
    const part = parts[i]!;
    const taken = eachOnce([...song.parts.filter((p) => p !== part).map((p) => `${p.name}.`), names[i]!]).at(-1)!;
    const name = taken.slice(0, -1);
    found.push({
      ...{
        kind: 'one name',
        fingerprint: fingerprintOf('one name', part.id, part.name),
        part: part.id,
        at: null,
        station: 'play',
      },
      words: `has the same name as another part: its files would be told apart by a number only`,
      mend: { words: `call it ${name}`, command: { type: 'set part', part: part.id, to: { name } } },
    });
  });
  for (const { id, name, offset, length, midi } of song.backings) {
    const over = offset + length - maps.endSeconds;
    if (midi || over < BACKING_RINGS) continue;
    found.push({
      ...{ kind: 'backing longer', fingerprint: fingerprintOf('backing longer', id, [length, offset, song.bars]) },
      ...{ part: null, at: maps.end, station: 'set-up', mend: null },
      words: `The backing ${name} goes on for ${Math.round(over)} s after the song’s last bar`,
    });
  }
  const form = formOf(song, maps);
  for (const { id, text, bars, done } of song.clientNotes) {
    if (done) continue;
    found.push({
      ...{
        kind: 'client note',
        fingerprint: fingerprintOf('client note', null, [id, text]),
        part: null,
        station: 'play',
      },
      at: bars ? barStart(maps.meter, bars[0]!.first) : null,
      words: `A note is open${bars ? `, on ${noteBarsWords(bars, form)}` : ''}: ${text}`,
      mend: {
        words: 'it is done',
        command: { type: 'set client note', note: id, to: { done: { answer: '', in: null } } },
      },
    });
  }
  return found;
}

const fingerprintOf = (kind: CheckKind, part: string | null, about: unknown): string =>
  `${kind} ${fingerprint(JSON.stringify([part, about]))}`;

const LOOKS = [...[silent, mended, leftOn, outside, notPlayed, joins, ears, offEveryLine, marked], soundChecks];

/** Findings in the parts that go out, in the order of the parts. */
export function checksOf(
  song: SongDocument,
  parts: readonly Part[],
  layers: Layers,
  maps: SongMaps,
  reader: Reader = songReader(song, layers),
  lineFor: (part: Part) => TreatedReading = (part) => lineOf(part, reader.read, maps),
): Check[] {
  const all = parts.flatMap((part) => {
    const line = lineFor(part);
    const recorded = part.heardAs === 'recorded';
    const again = recorded ? soundedRanges(part, line, maps) : [];
    const sounds = recorded ? soundRanges(part, layers, frameOf(song, maps.meter), again) : [];
    const looked: Looked = { part, sounds, again, line, reader, song, maps };
    const found = LOOKS.flatMap((look) => look(looked));
    return [...found, ...neverMeasured(looked, layers)].map(({ about, ...rest }): Check => ({
      ...rest,
      part: part.id,
      fingerprint: fingerprintOf(rest.kind, part.id, about),
    }));
  });
  return [...all, ...ofSong(song, parts, maps)];
}

/** Headroom after the repair of a level, in dB. */
const HEADROOM: Decibels = 0.3;

/** Finding of audio files that would clip, with the trim that repairs all of them. */
export function clippedCheck(
  peaks: readonly { readonly name: string; readonly truePeak: Decibels }[],
  { depth, trimDb, audio }: Pick<Delivery, 'depth' | 'trimDb' | 'audio'>,
): { readonly check: Check; readonly trimDb: Decibels } | null {
  const over = peaks.filter((p) => p.truePeak > 0);
  if (over.length === 0 || depth === '32-bit float' || audio === 'none') return null;
  const most = Math.max(...over.map((p) => p.truePeak));
  const to = Math.floor((trimDb - most - HEADROOM) * 10) / 10;
  const names = over.map((p) => p.name).join(', ');
  return {
    trimDb: to,
    check: {
      ...{
        kind: 'clipped',
        fingerprint: fingerprintOf('clipped', null, over),
        part: null,
        at: null,
        station: 'hand-over',
      },
      words: `${names} would clip, by ${most.toFixed(1)} dB: ${Math.abs(to)} dB less for all files mends it`,
      mend: null,
    },
  };
}

/** Findings that the player has not accepted in their present form. */
export const openChecks = (checks: readonly Check[], { waived }: Pick<SongDocument, 'waived'>): Check[] =>
  checks.filter((c) => !waived.some((w) => w.check === c.fingerprint));
