import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  controlsBefore,
  EMPTY_BUFFER,
  offered,
  takersOf,
  taking,
  trimmed,
  type LookBackBuffer,
  type BufferedEvent,
  type Listening,
  type Roll,
  type Taking,
  type Passage,
} from '~~/core/lookback/buffer';
import { Passages } from '~~/core/lookback/passages';
import { keepRolled, type KeepFacts, type Kept } from '~~/core/lookback/keep';
import { placePhrase, type PlacementChoice } from '~~/core/lookback/phrase';
import type { PlayingReading } from '~~/core/lookback/playing';
import { takenBy, withReleases } from '~~/core/lookback/takenByPass';
import type { KeyMessage } from '~~/core/performance/messages';
import { listenersOf } from '~~/core/recording/inputRoutes';
import type { PassResult } from '~~/core/recording/state';
import type { Retiming } from '~~/core/song/retime';
import { barAt, barStart } from '~~/core/time/meter';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import { useSync } from '~/sync/sync';
import type { BufferFacts } from '~/sync/store';
import { toOthers } from '~/sync/windows';
import { useNotices } from '~/notices/notices';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { useTurn } from './holdingWindow';

/** Interval at which screens are updated, as they go through all events. */
const SHOW_EVERY: Milliseconds = 300;
/** Number of new events after which old ones are deleted. */
const TRIM_EVERY = 2000;
/** Distance after the last event at which an older roll ends, when its end is no longer known. */
const INSTANT: Seconds = 0.001;

/** Id of this window among those that write to the same store. */
const OWN = crypto.randomUUID();
/** Event numbers that rise with time in all windows alike, by microseconds. */
const numberAt = (wall: Milliseconds): number => Math.floor(wall * 1000);
const FORGOTTEN = 'forgotten';
/** Message from one window to the others. */
type Shared = readonly Taking[] | typeof FORGOTTEN;
const same = (a: Taking, b: Taking): boolean => a.by === b.by && a.from === b.from && a.to === b.to;

/** Look-back: buffers everything the keyboards send, and keeps what the player asks for. */
export const useLookBack = defineStore('lookback', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const sync = useSync();
  const notices = useNotices();
  const buffer = shallowRef<LookBackBuffer>(EMPTY_BUFFER);
  /** Counter that goes up a few times a second while events come, so that lists need not follow each one. */
  const turn = ref(0);
  const opened = ref(false);
  /** True if the brief's quantize is applied to what is kept from the list. */
  const treats = ref(false);

  let events: BufferedEvent[] = [];
  let seq = 0;
  let roll: Roll | null = null;
  let listening: Listening | null = null;
  /** True once the stored buffer is loaded. Event numbers are not known before, and nothing is written. */
  let loaded = false;
  /** Rolls, listenings and takings as they were last written. */
  let written: Pick<LookBackBuffer, 'rolls' | 'listenings' | 'takings'> = EMPTY_BUFFER;
  let sinceTrimmed = 0;
  // Facts that could not be written are written with the next events.
  sync.onHoldFailed(() => {
    written = EMPTY_BUFFER;
  });

  /**
   * Takings of other windows are sent directly: by way of the song or the store they would come so late that this
   * window could keep the same again.
   */
  const tellOthers = toOthers<Shared>('tall-kettle takings', (word) => {
    if (word === FORGOTTEN) {
      nothingHeld();
      return;
    }
    const come = word.filter((t) => !buffer.value.takings.some((own) => same(own, t)));
    buffer.value = { ...buffer.value, takings: [...buffer.value.takings, ...come] };
    look();
  });
  const turnOf = useTurn('tall-kettle look-back', () => void load());

  /** Loads the buffer of earlier visits and of other windows. */
  async function load(): Promise<void> {
    const before = await sync.readBuffer(OWN).catch(() => EMPTY_BUFFER);
    const known = new Set(before.events.map((e) => e.seq));
    const come = events.filter((e) => !known.has(e.seq));
    events = [...before.events, ...come].sort((a, b) => a.seq - b.seq);
    seq = Math.max(seq, events.at(-1)?.seq ?? 0);
    buffer.value = {
      events,
      takings: [...before.takings, ...buffer.value.takings.filter((t) => !before.takings.some((b) => same(b, t)))],
      rolls: new Map([...before.rolls, ...buffer.value.rolls]),
      listenings: new Map([...before.listenings, ...buffer.value.listenings]),
    };
    loaded = true;
    write(come);
    look();
  }

  /** Pass of each recorded layer. */
  const passOfLayer = computed(() => new Map([...layers.closed].map(([id, { header }]) => [id, header.passId])));
  const known = computed(() => new Set(passOfLayer.value.values()));
  const inTakes = computed(() => {
    const takes = (song.document?.parts ?? []).flatMap((part) => part.takes);
    return new Set(takes.flatMap((take) => take.layers.map((id) => passOfLayer.value.get(id))));
  });
  const onTheirWay = computed(() => new Set([...layers.onTheirWay].map((id) => passOfLayer.value.get(id))));
  /**
   * Test for a taking that is in force: a pass that was undone gives back what it took; takings of other songs always
   * count.
   */
  const isLive = (by: string): boolean => inTakes.value.has(by) || onTheirWay.value.has(by) || !known.value.has(by);

  const grouped = new Passages();
  const passages = computed((): readonly Passage[] => (turn.value, grouped.in(buffer.value, isLive)));
  const now = computed(() => (song.id ? offered(passages.value, song.id) : { rolled: [], free: null }));
  /** Number of notes that Keep would keep. */
  const notes = computed(() => now.value.rolled.reduce((n, s) => n + s.notes, 0) + (now.value.free?.notes ?? 0));

  let showing: ReturnType<typeof setTimeout> | undefined;
  /** Updates the screens and what Keep would take. */
  function look(): void {
    clearTimeout(showing);
    showing = undefined;
    if (buffer.value.events !== events) buffer.value = { ...buffer.value, events };
    turn.value += 1;
  }

  /** Begins a roll; null ends it. */
  function rolls(next: Omit<Roll, 'id' | 'song'> | null): void {
    roll = next && song.id ? { ...next, id: crypto.randomUUID(), song: song.id } : null;
  }

  function listeningNow(): Listening {
    const parts = song.document
      ? listenersOf(song.document).map(({ part, route }) => ({ part: part.id, ear: route }))
      : [];
    const same = listening?.song === (song.id ?? '') && JSON.stringify(listening.parts) === JSON.stringify(parts);
    if (!listening || !same) {
      listening = { id: numberAt(performance.timeOrigin + performance.now()), song: song.id ?? '', parts };
    }
    return listening;
  }
  let document: unknown;

  /**
   * Buffers one event and hands it over for storing.
   * @param stamp page time of the message
   * @param at place on the rolling clock; null while nothing rolls
   */
  function hold(port: string, message: KeyMessage, stamp: Milliseconds, at: Seconds | null): void {
    // All windows hear the same keyboards; one of them buffers.
    if (!turnOf.mine()) return;
    // Armed parts can only have changed with the document.
    if (!listening || document !== song.document) {
      document = song.document;
      const current = listeningNow();
      if (!buffer.value.listenings.has(current.id)) {
        buffer.value = { ...buffer.value, listenings: new Map(buffer.value.listenings).set(current.id, current) };
      }
    }
    const rolled = at === null ? null : roll;
    if (rolled && !buffer.value.rolls.has(rolled.id)) {
      buffer.value = { ...buffer.value, rolls: new Map(buffer.value.rolls).set(rolled.id, rolled) };
    }
    const wall = performance.timeOrigin + stamp;
    seq = Math.max(seq + 1, numberAt(wall));
    const event: BufferedEvent = {
      seq,
      wall,
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

  /** Hands over events, and facts that have changed. */
  function write(come: readonly BufferedEvent[]): void {
    showing ??= setTimeout(look, SHOW_EVERY);
    const { rolls: all, listenings, takings } = buffer.value;
    const same = all === written.rolls && listenings === written.listenings && takings === written.takings;
    const facts: BufferFacts = { by: OWN, rolls: [...all.values()], listenings: [...listenings.values()], takings };
    sync.hold(come, same ? null : facts);
    written = buffer.value;
  }

  function trim(): void {
    sinceTrimmed = 0;
    const less = trimmed({ ...buffer.value, events });
    if (less.events === events) return;
    events = [...less.events];
    buffer.value = { ...less, events };
    // Events that could not be deleted now are deleted next time.
    void sync.trimBuffer(events).catch(() => {});
  }

  function take(by: string, taken: readonly BufferedEvent[]): void {
    if (taken.length === 0) return;
    const own = taking(by, taken);
    buffer.value = { ...buffer.value, events, takings: [...buffer.value.takings, ...own] };
    tellOthers(own);
    look();
    write([]);
  }

  /** Marks what a pass has recorded as taken. */
  function recorded(result: PassResult): void {
    const rollId = roll?.id ?? events.findLast((e) => e.place)?.place?.roll;
    take(result.passId, takenBy(result, rollId, events, buffer.value.listenings));
  }

  const factsOf = (passage: Passage): KeepFacts => {
    const { brief, parts, tempo } = openSong.document;
    return {
      passage,
      before: controlsBefore(events, passage.events[0]!.seq),
      listenings: buffer.value.listenings,
      maps: openSong.maps,
      tempo,
      transposition: reading.transposition,
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

  /** Passages with later releases of keys that were down at their end. */
  const withReleasesSince = (all: readonly Passage[]): readonly Passage[] => withReleases(all, events);

  /** Keeps what was played while the transport rolled, as one step of undo. */
  function keepPassages(all: readonly Passage[], until: (roll: string) => Seconds | null): boolean {
    // Releases since the request are included, but take no earlier notes along.
    const kept = withReleasesSince(all).map((passage) => {
      const rolled = passage.roll!;
      const before = events.findLast((e) => e.place?.roll === rolled.id && e.seq < passage.events[0]!.seq);
      // The end of an older roll is no longer known: its last note is used.
      const last = passage.events.at(-1)!.place!.at + INSTANT;
      const end = until(rolled.id) ?? (rolled.loop ? last : Infinity);
      return keepRolled(factsOf(passage), before?.place?.at ?? -Infinity, end);
    });
    return store(all, kept, {});
  }

  /** Layers that had taken these events and are in no take any more. */
  function gaveBack(all: readonly Passage[]): string[] {
    const takers = takersOf(
      all.flatMap((passage) => passage.events),
      buffer.value.takings,
    );
    return [...passOfLayer.value].flatMap(([layer, by]) => (takers.has(by) ? [layer] : []));
  }

  function store(
    all: readonly Passage[],
    kept: readonly Kept[],
    over: { readonly bars?: number; readonly retiming?: Retiming },
  ): boolean {
    const results = kept.flatMap((k) => k.results);
    if (!results.some((r) => r.layers.some((l) => l.notes > 0))) {
      notices.say(
        'There was no note to keep in these bars for a part of the song. What was played is still in look-back.',
        'plain',
      );
      return false;
    }
    layers.store(kept.flatMap((k) => k.layers));
    song.run({ type: 'keep', results, at: new Date().toISOString(), gaveBack: gaveBack(all), ...over });
    kept.forEach(({ results: [first] }, i) => {
      if (first) take(first.passId, all[i]!.events);
    });
    return true;
  }

  /** Keeps a phrase of free playing, from a bar on. */
  function keepPhrase(
    passage: Passage,
    counted: PlayingReading | null,
    placement: PlacementChoice,
    from: Ticks,
  ): boolean {
    const wall = performance.timeOrigin + performance.now();
    const { kept, ...over } = placePhrase(factsOf(passage), openSong.document, counted, placement, from, wall);
    return store([passage], [kept], over);
  }

  function nothingHeld(): void {
    events = [];
    buffer.value = EMPTY_BUFFER;
    written = EMPTY_BUFFER;
    listening = null;
    look();
  }

  /** Deletes all buffered events that are in no take. */
  async function forget(): Promise<void> {
    nothingHeld();
    tellOthers(FORGOTTEN);
    await sync
      .forgetBuffer()
      .catch(() => notices.say('The browser would not forget what it holds. Try again in a moment.'));
  }

  /** Start of the bar at a tick, from bar 1 on. */
  const startBar = (tick: Ticks): Ticks => {
    const { meter } = openSong.maps;
    return barStart(meter, Math.max(1, barAt(meter, tick)));
  };

  return {
    passages,
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
    keepPassages,
    keepPhrase,
    forget,
    startBar,
  };
});
