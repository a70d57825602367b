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
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useBarActs } from '~/song/barActs';
import { SPEEDS } from './actions';
import { usePass } from './pass';
import { usePresets } from './presets';
import { useRoll } from './roll';
import { useSession } from './session';
import { useRange } from './useRange';

/** Longest time that a keep waits for keys to be released, and how often it looks. */
const RINGS_AT_MOST: Milliseconds = 8000;
const LOOK_EVERY: Milliseconds = 30;

/** Step of the click's level. */
const CLICK_STEP: Click['gainDb'] = 3;
const SOFTEST_CLICK = -40;
const LOUDEST_CLICK = 6;

/** Distance after a section's start within which "back" goes to the section before. */
const JUST_BEGUN: Ticks = TICKS_PER_QUARTER;

/** Actions that the player starts with a key, a button or a taught pedal. */
export const useHands = defineStore('hands', () => {
  const song = useSong();
  const openSong = useOpenSong();
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

  /** Setting of the click from before it was switched off. */
  let clickWas: ClickWhen = 'always';
  /** Keep that waits for keys to be released, with the time at which it stops waiting. */
  let waiting: { readonly rolled: readonly Passage[]; readonly until: Milliseconds } | null = null;

  /** Keeps what was just played. A phrase from free playing opens its dialog first, where its beats are chosen. */
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

  /** Keeps once the keys are up, so that notes have their releases if these come while the transport rolls. */
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
      `Kept: ${many(notes, 'note')}, where played. Undo takes the keep back; what was played stays in look-back.`,
      'plain',
    );
  }

  /** Picks the next or previous take of the shown part, in the range that would be recorded or at the playhead. */
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

  /** Takes added since the song was opened, in order of arrival; clock times may go backwards. */
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
  /** Latest take since the song was opened that still exists, of any part. */
  const latest = computed(() => {
    const there = new Map(
      song.document?.parts.flatMap((part) => part.takes.map((take) => [take.id, { part, take }] as const)),
    );
    const id = came.value.findLast((take) => there.has(take));
    return id === undefined ? null : there.get(id)!;
  });
  /** Marks the latest take; a second press removes the mark. */
  function mark(as: Mark): void {
    const found = latest.value;
    if (!found) {
      notices.say('No take was recorded since the song was opened. Takes have their marks on Pick.', 'plain');
      return;
    }
    const { part, take } = found;
    song.run({ type: 'set take', part: part.id, take: take.id, to: { mark: take.mark === as ? null : as } });
  }

  /** Takes back the last pass with all of its laps. */
  function undoPass(): void {
    if (!song.undoPass()) notices.say('There is nothing to undo.', 'plain');
  }

  /** Arms a part alone, and shows it. */
  function letHear(part: Part): void {
    reading.shownId = part.id;
    openSong.setBrief({ part: part.id, also: [] });
  }
  /** Arms the part before or after the armed one instead. */
  function stepPart(by: number): void {
    const parts = atHand(openSong.document.parts);
    const here = parts.findIndex((p) => p.id === openSong.document.brief.part);
    const to = parts[Math.max(0, Math.min(parts.length - 1, here + by))];
    if (to) letHear(to);
  }

  /** Moves the playhead to the start of the next section, or of the one before. */
  function stepSection(by: number): void {
    if (!reading.maps) return;
    const at = roll.tickNow();
    const starts = sectionsOf(openSong.document, reading.maps.meter).map((s) => s.from);
    const to = by > 0 ? starts.find((from) => from > at) : starts.findLast((from) => from < at - JUST_BEGUN);
    if (to !== undefined || by < 0) session.seek(to ?? 0);
  }

  /** Switches the click off, or back to its last setting. */
  function turnClick(): void {
    const { when } = openSong.document.click;
    if (when !== 'never') clickWas = when;
    openSong.setClick({ when: when === 'never' ? clickWas : 'never' });
  }

  /** Changes the click's level in dB, within its limits. */
  function moveClick(by: number): void {
    const gainDb = Math.max(SOFTEST_CLICK, Math.min(LOUDEST_CLICK, openSong.document.click.gainDb + by));
    openSong.setClick({ gainDb });
  }

  /** Selects the next slower or faster practice speed. */
  function stepSpeed(by: number): void {
    const now = openSong.document.speed;
    const to = by > 0 ? SPEEDS.find((s) => s > now) : SPEEDS.findLast((s) => s < now);
    if (to !== undefined) openSong.setSong({ speed: to });
  }

  /** Switches waiting for the first note on or off. */
  const turnWait = (): void => openSong.setBrief({ wait: openSong.document.brief.wait === 'no' ? 'start' : 'no' });

  /** Applies a recipe to the shown part in the selected bars, or in all bars where none are selected. */
  function treat(recipe: Recipe): void {
    const part = reading.shown;
    const { maps } = reading;
    if (!part || !maps || pass.recording) return;
    const set = openSong.document.brief.range;
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

  /** Copies the selected bars of the shown part to the playhead's bar. */
  function copyHere(): void {
    const set = openSong.document.brief.range;
    if (set) copyTo(set, roll.tickNow());
    else notices.say('No bars are selected. Select some, put the playhead where they go, and copy.', 'plain');
  }
  /** Copies bars of the shown part to another bar. */
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
    'next mode': () => openSong.setBrief(steppedMode(openSong.document.brief)),
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
