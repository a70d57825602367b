import { many } from '~~/core/vocabulary/many';
import { defineStore } from 'pinia';
import { computed, shallowRef, watch } from 'vue';
import type { Click, ClickWhen } from '~~/core/document/click';
import { sectionsOf } from '~~/core/document/maps';
import { atHand, type Part } from '~~/core/document/part';
import type { Mark } from '~~/core/document/take';
import type { Passage } from '~~/core/lookback/buffer';
import { anyKeyDown } from '~~/core/lookback/takenByPass';
import { barAt } from '~~/core/time/meter';
import { inRange, TICKS_PER_QUARTER, type Milliseconds, type TickRange, type Ticks } from '~~/core/time/units';
import { steppedMode } from '~~/core/recording/stepping';
import { rangeWords } from '~~/core/time/words';
import { STEADIED, USUAL, type Recipe } from '~~/core/timing/recipe';
import { recipeWords } from '~~/core/timing/words';
import type { Action } from '~~/core/performance/learned';
import { takeBeside } from '~~/core/song/takes';
import { useLookBack } from '~/look-back/lookBack';
import { useNotices } from '~/notices/notices';
import { useComp } from '~/song/comp';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useBarActs } from '~/song/barActs';
import { SPEEDS } from './actions';
import { usePass } from './pass';
import { usePresets } from './presets';
import { useRoll } from './roll';
import { useSession } from './session';
import { useRange } from './useRange';

/** Longest wait of a keep for keys that are down, and the interval at which it looks. */
const RINGS_AT_MOST: Milliseconds = 8000;
const LOOK_EVERY: Milliseconds = 30;

/** The click goes louder and softer by so much, within what its slider has. */
const CLICK_STEP: Click['gainDb'] = 3;
const SOFTEST_CLICK = -40;
const LOUDEST_CLICK = 6;

/** A section that began just now is the one before for a player who goes back. */
const JUST_BEGUN: Ticks = TICKS_PER_QUARTER;

/** Actions that the player asks for with one move, from a key, a button, or a pedal that was taught to. */
export const useHands = defineStore('hands', () => {
  const song = useSong();
  const reading = useReading();
  const session = useSession();
  const pass = usePass();
  const roll = useRoll();
  const lookBack = useLookBack();
  const notices = useNotices();
  const comp = useComp();
  const range = useRange();
  const presets = usePresets();
  const ranges = useBarActs();

  /** Setting of when the click is heard, once it is turned on again. */
  let clickWas: ClickWhen = 'always';
  /** Keys that a keep waits for: keys that were down then, and until when. */
  let waiting: { readonly rolled: readonly Passage[]; readonly until: Milliseconds } | null = null;

  /** Keeps what was just played. A phrase with nothing rolling wants a look first: how it is to be counted. */
  function keep(): void {
    if (waiting) return;
    lookBack.look();
    const { rolled, free } = lookBack.now;
    if (free) lookBack.opened = true;
    else if (rolled.length === 0) notices.say('Nothing was played since the last keep or pass.', 'plain');
    else {
      waiting = { rolled, until: performance.now() + RINGS_AT_MOST };
      keepWhenReleased();
    }
  }

  /** Keeps once keys are released: what is held rings on to its release, if that comes while it rolls. */
  function keepWhenReleased(): void {
    if (!waiting) return;
    const { rolled, until } = waiting;
    if (anyKeyDown(lookBack.withReleases(rolled)) && pass.rolling && performance.now() < until) {
      setTimeout(keepWhenReleased, LOOK_EVERY);
      return;
    }
    waiting = null;
    if (!song.document || !lookBack.keepPassages(rolled, session.untilOf)) return;
    const notes = rolled.reduce((n, s) => n + s.notes, 0);
    notices.say(
      `Kept: ${many(notes, 'note')}, where played. Undo takes the keep back; what was played stays held.`,
      'plain',
    );
  }

  /** Lets another take of the shown part be heard where the pass would record, or where the playhead is. */
  function stepTake(by: number): void {
    const part = reading.shown;
    const { maps } = reading;
    if (!part || !maps || !song.document) return;
    const found = takeBeside(part, song.document.brief, roll.tickNow(), maps.end, by);
    if (found === 'none') notices.say(`${part.name} has no take there.`, 'plain');
    else if (found === 'last') notices.say(`There is no ${by > 0 ? 'later' : 'earlier'} take there.`, 'plain');
    else comp.pickTakes(part, [{ ...found.range, takeId: found.take.id, by: 'hand' }]);
  }

  function undo(): void {
    if (!song.undo()) notices.say('There is nothing to undo.', 'plain');
  }

  /** Takes that came since the song was opened, in the order in which they did: the day's clock can be put back. */
  const came = shallowRef<readonly string[]>([]);
  let known: { readonly song: string | null; readonly takes: Set<string> } = { song: null, takes: new Set() };
  watch(
    () => song.document?.parts,
    (parts = []) => {
      const all = parts.flatMap((part) => part.takes.map(({ id }) => id));
      if (known.song !== song.id) {
        known = { song: song.id, takes: new Set(all) };
        came.value = [];
        return;
      }
      const fresh = all.filter((id) => !known.takes.has(id));
      if (fresh.length === 0) return;
      for (const id of fresh) known.takes.add(id);
      came.value = [...came.value, ...fresh];
    },
    { immediate: true },
  );
  /** The take that came last since the song was opened and is there still, whatever its part. */
  const latest = computed(() => {
    const there = new Map(
      song.document?.parts.flatMap((part) => part.takes.map((take) => [take.id, { part, take }] as const)),
    );
    const id = came.value.findLast((take) => there.has(take));
    return id === undefined ? null : there.get(id)!;
  });
  /** Marks that take; the mark that it has is taken off again. */
  function mark(as: Mark): void {
    const found = latest.value;
    if (!found) {
      notices.say('No take was recorded since the song was opened. Takes have their marks on Pick.', 'plain');
      return;
    }
    const { part, take } = found;
    song.run({ type: 'set take', part: part.id, take: take.id, to: { mark: take.mark === as ? null : as } });
  }

  /** All laps of the last pass, or the pass itself. */
  function undoPass(): void {
    if (!song.undoPass()) notices.say('There is nothing to undo.', 'plain');
  }

  /** Lets a part hear the keys, and no other, and shows it. */
  function letHear(part: Part): void {
    reading.shownId = part.id;
    song.run({ type: 'set brief', brief: { part: part.id, also: [] } });
  }
  /** The part that hears the keys gives way to the one before or after it. */
  function stepPart(by: number): void {
    const parts = atHand(song.document!.parts);
    const here = parts.findIndex((p) => p.id === song.document!.brief.part);
    const to = parts[Math.max(0, Math.min(parts.length - 1, here + by))];
    if (to) letHear(to);
  }

  /** Moves the playhead to where a section starts: the next, or the one before where the playhead is. */
  function stepSection(by: number): void {
    if (!reading.maps) return;
    const at = roll.tickNow();
    const starts = sectionsOf(song.document!, reading.maps.meter).map((s) => s.from);
    const to = by > 0 ? starts.find((from) => from > at) : starts.findLast((from) => from < at - JUST_BEGUN);
    if (to !== undefined || by < 0) session.seek(to ?? 0);
  }

  /** The click falls silent, or comes back as it was. */
  function turnClick(): void {
    const { when } = song.document!.click;
    if (when !== 'never') clickWas = when;
    song.run({ type: 'set click', click: { when: when === 'never' ? clickWas : 'never' } });
  }

  /** The click, so many decibels louder; at the loudest and the softest it stays. */
  function moveClick(by: number): void {
    const gainDb = Math.max(SOFTEST_CLICK, Math.min(LOUDEST_CLICK, song.document!.click.gainDb + by));
    song.run({ type: 'set click', click: { gainDb } });
  }

  /** The next practice speed of those there are, slower or faster; at either end it stays. */
  function stepSpeed(by: number): void {
    const now = song.document!.speed;
    const to = by > 0 ? SPEEDS.find((s) => s > now) : SPEEDS.findLast((s) => s < now);
    if (to !== undefined) song.run({ type: 'set song', to: { speed: to } });
  }

  /** The next pass waits for the first note, or does so no more. */
  const turnWait = (): void =>
    song.run({ type: 'set brief', brief: { wait: song.document!.brief.wait === 'no' ? 'start' : 'no' } });

  /** Lays a recipe on the bars that are set, of the part that is shown; on all of it where none are. */
  function treat(recipe: Recipe): void {
    const part = reading.shown;
    const { maps } = reading;
    if (!part || !maps || pass.recording) return;
    const set = song.document!.brief.range;
    const range = set ?? { from: 0, to: maps.end };
    if (!reading.lines.get(part.id)?.notes.some((n) => inRange(n.start, range))) {
      notices.say(`${part.name} has no notes there. Nothing was treated.`, 'plain');
      return;
    }
    song.run({ type: 'treat', part: part.id, treatment: { id: crypto.randomUUID(), ...range, ...recipe } });
    const where = set ? rangeWords(set, maps.meter) : 'all of it';
    notices.say(
      `${part.name}, ${where}: ${recipeWords(recipe)}. What you played is kept; Undo takes the treatment off.`,
      'plain',
    );
  }

  /** Bars of the shown part that are selected are heard at the playhead's bar as well. */
  function copyHere(): void {
    const set = song.document!.brief.range;
    if (set) copyTo(set, roll.tickNow());
    else notices.say('No bars are selected. Select some, put the playhead where they go, and copy.', 'plain');
  }
  /** Bars of the shown part are heard from the bar of another place on as well. */
  function copyTo(range: TickRange, tick: Ticks): void {
    const part = reading.shown;
    const { maps } = reading;
    if (!part || !maps || pass.recording) return;
    const [first, last] = [barAt(maps.meter, range.from), barAt(maps.meter, range.to - 1)];
    const to = barAt(maps.meter, tick);
    const asked = { act: 'copy', first, last, to, parts: [part], into: null } as const;
    const why = ranges.trouble(asked);
    if (why) {
      notices.say(why);
      return;
    }
    ranges.carryOut(asked);
    const what = `${rangeWords(range, maps.meter)} ${first === last ? 'is' : 'are'}`;
    notices.say(`${part.name}: ${what} heard from bar ${to} on as well. Undo takes that away.`, 'plain');
  }

  const ACTS: Readonly<Record<Action, () => void>> = {
    record: () => void session.record(),
    stop: () => {
      if (pass.rolling) session.stop();
    },
    play: () => void session.play(),
    'go again': () => void session.goAgain(),
    keep: () => {
      if (!pass.recording) keep();
    },
    undo,
    'undo pass': undoPass,
    redo: () => void song.redo(),
    'next take': () => stepTake(1),
    'previous take': () => stepTake(-1),
    'mark good': () => mark('good'),
    'mark maybe': () => mark('maybe'),
    'mark no': () => mark('no'),
    in: () => range.setHere('from'),
    out: () => range.setHere('to'),
    'lead-in': () => range.toggleLeadIn(),
    loop: () => range.toggleLoop(),
    'next section': () => stepSection(1),
    'previous section': () => stepSection(-1),
    'next part': () => stepPart(1),
    'previous part': () => stepPart(-1),
    plain: () => presets.plain(),
    'next preset': () => void presets.step(1),
    'previous preset': () => void presets.step(-1),
    click: turnClick,
    'click louder': () => moveClick(CLICK_STEP),
    'click softer': () => moveClick(-CLICK_STEP),
    slower: () => stepSpeed(-1),
    faster: () => stepSpeed(1),
    wait: turnWait,
    'next mode': () => song.run({ type: 'set brief', brief: steppedMode(song.document!.brief) }),
    'copy here': copyHere,
    'bar back': () => session.seekBars(-1),
    'bar on': () => session.seekBars(1),
    quantize: () => treat(USUAL),
    steady: () => treat(STEADIED),
    panic: () => session.panic(),
  };
  const act = (action: Action): void => {
    if (song.document || action === 'panic') ACTS[action]();
  };

  return { keep, undo, letHear, copyTo, act, latest, mark };
});
