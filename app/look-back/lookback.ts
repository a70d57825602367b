import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  controlsBefore,
  NOTHING_HELD,
  offered,
  stretchesHeld,
  taking,
  trimmed,
  type Held,
  type HeldEvent,
  type Listening,
  type Roll,
  type Stretch,
} from '~~/core/lookback/buffer';
import { keepRolled, type KeepFacts, type Kept } from '~~/core/lookback/keep';
import { layPhrase, type Laid } from '~~/core/lookback/phrase';
import type { PlayingReading } from '~~/core/lookback/playing';
import { takenBy, withReleases } from '~~/core/lookback/taken';
import type { KeyMessage } from '~~/core/performance/messages';
import { listenersOf } from '~~/core/recording/ears';
import type { PassResult } from '~~/core/recording/state';
import type { Retiming } from '~~/core/song/retime';
import { barAt, barStart } from '~~/core/time/meter';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import { useKeeping } from '~/keeping/keeping';
import type { HeldFacts } from '~/keeping/store';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';

/** How often the screens are told what has come: they go through all of it. */
const SHOW_EVERY: Milliseconds = 300;
/** After so many events, what is too old is let go. */
const TRIM_EVERY = 2000;
/** What an older roll's end is taken to lie beyond its last event, once it is no longer known. */
const INSTANT: Seconds = 0.001;

/** Holds everything the keyboards send, and keeps what the player asks for. */
export const useLookBack = defineStore('lookback', () => {
  const song = useSong();
  const reading = useReading();
  const layers = useLayers();
  const keeping = useKeeping();
  const notices = useNotices();
  const held = shallowRef<Held>(NOTHING_HELD);
  /** Counts up with what is held, a few times a second: lists follow it, not every event. */
  const turn = ref(0);
  const opened = ref(false);
  /** What is kept from the list gets the brief's quantize laid over it. */
  const treats = ref(false);

  let events: HeldEvent[] = [];
  let seq = 0;
  let roll: Roll | null = null;
  let listening: Listening | null = null;
  /** Before that the numbers of what is held are not known, and it is not written yet. */
  let loaded = false;
  /** What the browser has of rolls, listenings and takings. */
  let written: Pick<Held, 'rolls' | 'listenings' | 'takings'> = NOTHING_HELD;
  let sinceTrimmed = 0;

  /** What was held when the page was last here. What has come meanwhile goes after it. */
  async function load(): Promise<void> {
    const before = await keeping.readHeld().catch(() => NOTHING_HELD);
    const first = (before.events.at(-1)?.seq ?? 0) + 1;
    const shiftBy = Math.max(0, first - (events[0]?.seq ?? first));
    const come = events.map((e) => ({ ...e, seq: e.seq + shiftBy }));
    events = [...before.events, ...come];
    seq = Math.max(seq + shiftBy, first);
    held.value = {
      events,
      takings: [...before.takings, ...held.value.takings],
      rolls: new Map([...before.rolls, ...held.value.rolls]),
      listenings: new Map([...before.listenings, ...held.value.listenings]),
    };
    loaded = true;
    write(come);
    look();
  }

  /** Which pass recorded each layer. */
  const passOfLayer = computed(() => new Map([...layers.closed].map(([id, { header }]) => [id, header.passId])));
  const known = computed(() => new Set(passOfLayer.value.values()));
  const inTakes = computed(() => {
    const takes = (song.document?.parts ?? []).flatMap((part) => part.takes);
    return new Set(takes.flatMap((take) => take.layers.map((id) => passOfLayer.value.get(id))));
  });
  /** A pass that was undone gives back what it took; what another song's passes took is theirs. */
  const isLive = (by: string): boolean => inTakes.value.has(by) || !known.value.has(by);

  const stretches = computed((): readonly Stretch[] => (turn.value, stretchesHeld(held.value, isLive)));
  const now = computed(() => (song.id ? offered(stretches.value, song.id) : { rolled: [], free: null }));
  /** How many notes Keep would keep. */
  const notes = computed(() => now.value.rolled.reduce((n, s) => n + s.notes, 0) + (now.value.free?.notes ?? 0));

  let showing: ReturnType<typeof setTimeout> | undefined;
  /** From here on the screens, and what Keep would take, are as of now. */
  function look(): void {
    clearTimeout(showing);
    showing = undefined;
    if (held.value.events !== events) held.value = { ...held.value, events };
    turn.value += 1;
  }

  /** Something rolls from here on; null when it has stopped. */
  function rolls(next: Omit<Roll, 'id' | 'song'> | null): void {
    roll = next && song.id ? { ...next, id: crypto.randomUUID(), song: song.id } : null;
  }

  function listeningNow(): Listening {
    const parts = song.document ? listenersOf(song.document).map(({ part, ear }) => ({ part: part.id, ear })) : [];
    const same = listening?.song === (song.id ?? '') && JSON.stringify(listening.parts) === JSON.stringify(parts);
    if (!listening || !same) {
      const id = Math.max(0, ...held.value.listenings.keys()) + 1;
      listening = { id, song: song.id ?? '', parts };
    }
    return listening;
  }
  let document: unknown;

  /**
   * Holds one event, and hands it over to be kept at once.
   * @param stamp page time of the strike
   * @param at where the rolling clock was, or null when the music was not on its way
   */
  function hold(port: string, message: KeyMessage, stamp: Milliseconds, at: Seconds | null): void {
    // Who listens can only have changed with the song.
    if (!listening || document !== song.document) {
      document = song.document;
      const current = listeningNow();
      if (!held.value.listenings.has(current.id)) {
        held.value = { ...held.value, listenings: new Map(held.value.listenings).set(current.id, current) };
      }
    }
    const rolled = at === null ? null : roll;
    if (rolled && !held.value.rolls.has(rolled.id)) {
      held.value = { ...held.value, rolls: new Map(held.value.rolls).set(rolled.id, rolled) };
    }
    const event: HeldEvent = {
      seq: (seq += 1),
      wall: performance.timeOrigin + stamp,
      port,
      message,
      listening: listening!.id,
      place: rolled && at !== null ? { roll: rolled.id, at } : null,
    };
    events.push(event);
    if (!loaded) return;
    write([event]);
    sinceTrimmed += 1;
    if (sinceTrimmed >= TRIM_EVERY) trim();
  }

  /** Hands over some events, and what belongs to them where it has changed. */
  function write(come: readonly HeldEvent[]): void {
    showing ??= setTimeout(look, SHOW_EVERY);
    const { rolls: all, listenings, takings } = held.value;
    const same = all === written.rolls && listenings === written.listenings && takings === written.takings;
    const facts: HeldFacts = { rolls: [...all.values()], listenings: [...listenings.values()], takings };
    keeping.hold(come, same ? null : facts);
    written = held.value;
  }

  function trim(): void {
    sinceTrimmed = 0;
    const less = trimmed({ ...held.value, events });
    if (less.events === events) return;
    events = [...less.events];
    held.value = { ...less, events };
    // What could not be let go now is with the next.
    void keeping.trimHeld(events).catch(() => {});
  }

  function take(by: string, taken: readonly HeldEvent[]): void {
    if (taken.length === 0) return;
    held.value = { ...held.value, events, takings: [...held.value.takings, ...taking(by, taken)] };
    look();
    write([]);
  }

  /** What a pass has put into takes is no longer offered. */
  function recorded(result: PassResult): void {
    const rollId = roll?.id ?? events.findLast((e) => e.place)?.place?.roll;
    take(result.passId, takenBy(result, rollId, events, held.value.listenings));
  }

  const factsOf = (stretch: Stretch): KeepFacts => {
    const { brief, parts, tempo } = song.document!;
    return {
      stretch,
      before: controlsBefore(events, stretch.events[0]!.seq),
      listenings: held.value.listenings,
      maps: reading.maps!,
      tempo,
      placements: new Map(parts.map((p) => [p.id, p.placement])),
      mode: brief.mode,
      laps: brief.laps,
      early: brief.early,
      gap: brief.gap,
      quantize: treats.value ? brief.quantize : null,
      newId: () => crypto.randomUUID(),
      at: new Date().toISOString(),
    };
  };

  /** Stretches with the releases that came since of keys that were down at the end of the last one. */
  const withReleasesSince = (all: readonly Stretch[]): readonly Stretch[] => withReleases(all, events);

  /** Keeps what was played while something rolled. One change, whatever it holds. */
  function keepStretches(all: readonly Stretch[], until: (roll: string) => Seconds | null): boolean {
    // Releases that came since the keep was asked for are in, but take nothing that was struck before them.
    const kept = withReleasesSince(all).map((stretch) => {
      const rolled = stretch.roll!;
      const before = events.findLast((e) => e.place?.roll === rolled.id && e.seq < stretch.events[0]!.seq);
      // Where an older roll ended is no longer known: with its last note, or the bar of it.
      const last = stretch.events.at(-1)!.place!.at + INSTANT;
      const end = until(rolled.id) ?? (rolled.loop ? last : Infinity);
      return keepRolled(factsOf(stretch), before?.place?.at ?? -Infinity, end);
    });
    return store(all, kept, {});
  }

  function store(
    all: readonly Stretch[],
    kept: readonly Kept[],
    over: { readonly bars?: number; readonly retiming?: Retiming },
  ): boolean {
    const results = kept.flatMap((k) => k.results);
    if (!results.some((r) => r.layers.some((l) => l.notes > 0))) {
      notices.say(
        'There was no note to keep in these bars for a part that is in the song. What was played is still held.',
        'plain',
      );
      return false;
    }
    layers.store(kept.flatMap((k) => k.layers));
    song.run({ type: 'keep', results, at: new Date().toISOString(), ...over });
    kept.forEach(({ results: [first] }, i) => {
      if (first) take(first.passId, all[i]!.events);
    });
    return true;
  }

  /** Keeps a phrase that was played with nothing rolling, from a bar on. */
  function keepPhrase(stretch: Stretch, counted: PlayingReading | null, laid: Laid, from: Ticks): boolean {
    const wall = performance.timeOrigin + performance.now();
    const { kept, ...over } = layPhrase(factsOf(stretch), song.document!, counted, laid, from, wall);
    return store([stretch], [kept], over);
  }

  /** Forgets everything that is held and in no take. */
  async function forget(): Promise<void> {
    events = [];
    held.value = NOTHING_HELD;
    written = NOTHING_HELD;
    listening = null;
    look();
    await keeping
      .forgetHeld()
      .catch(() => notices.say('The browser would not forget what it holds. Try again in a moment.'));
  }

  /** The start of the bar that a place lies in, bar 1 at the earliest. */
  const startBar = (tick: Ticks): Ticks => {
    const { meter } = reading.maps!;
    return barStart(meter, Math.max(1, barAt(meter, tick)));
  };

  return {
    stretches,
    now,
    notes,
    opened,
    treats,
    look,
    load,
    rolls,
    lastRoll: () => roll?.id ?? null,
    hold,
    recorded,
    withReleases: withReleasesSince,
    keepStretches,
    keepPhrase,
    forget,
    startBar,
  };
});
