import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  controlsBefore,
  keysDown,
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
import { keepFree, keepRolled, type KeepFacts, type Kept } from '~~/core/lookback/keep';
import { inFreeTime, onSongTempo, phraseRange, tempoOfPhrase } from '~~/core/lookback/laying';
import type { PlayingReading } from '~~/core/lookback/playing';
import type { KeyMessage } from '~~/core/performance/messages';
import { hears, listenersOf } from '~~/core/recording/ears';
import type { PassResult } from '~~/core/recording/state';
import { shiftOf } from '~~/core/placement/place';
import type { Retiming } from '~~/core/song/retime';
import { mapsOf } from '~~/core/document/maps';
import { barAt, barStart, meterMap } from '~~/core/time/meter';
import { secondsAt, tempoMap } from '~~/core/time/tempo';
import type { Milliseconds, Seconds, Ticks } from '~~/core/time/units';
import { forgetHeld, readHeld, trimHeld, writeHeld } from '~/keeping/held';
import { useNotices } from '~/notices/notices';
import { useSong } from '~/song/song';

/** How long an event may lie in memory alone. */
const WRITE_EVERY: Milliseconds = 100;
/** How often the screens are told what has come: they go through all of it. */
const SHOW_EVERY: Milliseconds = 300;
/** After so many events, what is too old is let go. */
const TRIM_EVERY = 2000;

/** How a phrase that was played with nothing rolling goes into the song. */
export type Laid = 'song tempo' | 'song tempo, wander' | 'takes tempo' | 'takes tempo, wander' | 'free';

/** Holds everything the keyboards send, and keeps what the player asks for. */
export const useLookBack = defineStore('lookback', () => {
  const song = useSong();
  const notices = useNotices();
  const held = shallowRef<Held>(NOTHING_HELD);
  /** Counts up with what is held, a few times a second: lists follow it, not every event. */
  const turn = ref(0);
  const opened = ref(false);
  /** What is kept from the list gets the brief's quantize laid over it. */
  const treats = ref(false);

  let events: HeldEvent[] = [];
  let unwritten: HeldEvent[] = [];
  let seq = 0;
  let roll: Roll | null = null;
  let listening: Listening | null = null;
  let writing: ReturnType<typeof setTimeout> | undefined;
  let loaded = false;

  /** What was held when the page was last here. What has come meanwhile goes after it. */
  async function load(): Promise<void> {
    const before = await readHeld().catch(() => NOTHING_HELD);
    const first = (before.events.at(-1)?.seq ?? 0) + 1;
    const shiftBy = Math.max(0, first - (events[0]?.seq ?? first));
    events = [...before.events, ...events.map((e) => ({ ...e, seq: e.seq + shiftBy }))];
    unwritten = unwritten.map((e) => ({ ...e, seq: e.seq + shiftBy }));
    seq = Math.max(seq + shiftBy, first);
    held.value = {
      events,
      takings: [...before.takings, ...held.value.takings],
      rolls: new Map([...before.rolls, ...held.value.rolls]),
      listenings: new Map([...before.listenings, ...held.value.listenings]),
    };
    loaded = true;
    window.addEventListener('pagehide', () => void write());
    look();
  }

  /** A pass that was undone gives back what it took; what another song's passes took is theirs. */
  const passOfLayer = computed(() => new Map([...song.layers].map(([id, { header }]) => [id, header.passId])));
  const inTakes = computed(
    () =>
      new Set(
        (song.document?.parts ?? []).flatMap((p) =>
          p.takes.flatMap((t) => t.layers.map((l) => passOfLayer.value.get(l))),
        ),
      ),
  );
  const known = computed(() => new Set(passOfLayer.value.values()));
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
    if (!listening || listening.song !== (song.id ?? '') || JSON.stringify(listening.parts) !== JSON.stringify(parts)) {
      listening = { id: Math.max(0, ...held.value.listenings.keys()) + 1, song: song.id ?? '', parts };
    }
    return listening;
  }
  let document: unknown;

  /**
   * Holds one event.
   * @param stamp page time of the strike
   * @param at where the rolling clock was, or null when the music was not on its way
   */
  function hold(port: string, message: KeyMessage, stamp: Milliseconds, at: Seconds | null): void {
    // Who listens can only have changed with the song.
    if (!listening || document !== song.document) {
      document = song.document;
      const current = listeningNow();
      if (!held.value.listenings.has(current.id))
        held.value = { ...held.value, listenings: new Map(held.value.listenings).set(current.id, current) };
    }
    if (roll && at !== null && !held.value.rolls.has(roll.id))
      held.value = { ...held.value, rolls: new Map(held.value.rolls).set(roll.id, roll) };
    const event: HeldEvent = {
      seq: (seq += 1),
      wall: performance.timeOrigin + stamp,
      port,
      message,
      listening: listening!.id,
      place: roll && at !== null ? { roll: roll.id, at } : null,
    };
    events.push(event);
    unwritten.push(event);
    writing ??= setTimeout(() => void write(), WRITE_EVERY);
  }

  async function write(): Promise<void> {
    clearTimeout(writing);
    writing = undefined;
    if (!loaded) return;
    const batch = unwritten;
    unwritten = [];
    showing ??= setTimeout(look, SHOW_EVERY);
    await writeHeld(batch, held.value).catch(() => {});
    if (events.length % TRIM_EVERY < batch.length && events.length > TRIM_EVERY) {
      const less = trimmed({ ...held.value, events });
      if (less.events === events) return;
      events = [...less.events];
      held.value = { ...less, events };
      await trimHeld(events).catch(() => {});
    }
  }

  function take(by: string, taken: readonly HeldEvent[]): void {
    if (taken.length === 0) return;
    held.value = { ...held.value, events, takings: [...held.value.takings, ...taking(by, taken)] };
    look();
    void write();
  }

  /** What a pass has put into takes is no longer offered: the events of its range that its parts heard. */
  function recorded({ passId, frame = 0, layers }: PassResult): void {
    const rollId = roll?.id ?? events.findLast((e) => e.place)?.place?.roll;
    const own = layers
      .filter((l) => l.notes > 0 || l.touched)
      .map(({ header, closing }) => {
        const map = tempoMap(header.tempo);
        const shift = shiftOf(header.placement, header.latency) * (header.speed ?? 1);
        return {
          part: header.partId,
          from: secondsAt(map, closing.range.from - header.early) + frame - shift,
          to: secondsAt(map, closing.range.to) + frame - shift,
        };
      });
    take(
      passId,
      events.filter(
        (e) =>
          e.place?.roll === rollId &&
          own.some(({ part, from, to }) => {
            const ear = held.value.listenings.get(e.listening)?.parts.find((p) => p.part === part)?.ear;
            return e.place!.at >= from && e.place!.at < to && ear !== undefined && hears(ear, e.port, e.message);
          }),
      ),
    );
  }

  const factsOf = (stretch: Stretch): KeepFacts => {
    const { brief, parts, tempo } = song.document!;
    return {
      stretch,
      before: controlsBefore(events, stretch.events[0]!.seq),
      listenings: held.value.listenings,
      maps: song.maps!,
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
  function withReleases(all: readonly Stretch[]): readonly Stretch[] {
    const last = all.at(-1)!;
    const down = new Set(keysDown(last.events));
    const seqOfLast = last.events.at(-1)!.seq;
    const come = events
      .slice(events.findLastIndex((e) => e.seq <= seqOfLast) + 1)
      .filter(
        ({ port, message, place }) =>
          message.type === 'noteOff' && place?.roll === last.roll?.id && down.delete(`${port} ${message.key}`),
      );
    return come.length ? [...all.slice(0, -1), { ...last, events: [...last.events, ...come] }] : all;
  }

  /** Keeps what was played while something rolled. One change, whatever it holds. */
  function keepStretches(all: readonly Stretch[], until: (roll: string) => Seconds | null): boolean {
    // Releases that came since the keep was asked for are in, but take nothing that was struck before them.
    const kept = withReleases(all).map((stretch) => {
      const before = events.findLast((e) => e.place?.roll === stretch.roll!.id && e.seq < stretch.events[0]!.seq);
      // Where an older roll ended is no longer known: with its last note, or the bar of it.
      const last = stretch.events.at(-1)!.place!.at + 0.001;
      return keepRolled(
        factsOf(stretch),
        before?.place?.at ?? -Infinity,
        until(stretch.roll!.id) ?? (stretch.roll!.loop ? last : Infinity),
      );
    });
    return store(all, kept, {});
  }

  function store(
    all: readonly Stretch[],
    kept: readonly Kept[],
    over: { bars?: number; retiming?: Retiming },
  ): boolean {
    const results = kept.flatMap((k) => k.results);
    if (!results.some((r) => r.layers.some((l) => l.notes > 0))) {
      notices.say(
        'There was no note to keep in these bars for a part that is in the song. What was played is still held.',
        'plain',
      );
      return false;
    }
    song.keepLayers(
      kept.flatMap((k) => k.layers),
      { type: 'keep', results, at: new Date().toISOString(), ...over },
    );
    kept.forEach((k, i) => {
      const by = k.results[0]?.passId;
      if (by) take(by, all[i]!.events);
    });
    return true;
  }

  /** Keeps a phrase that was played with nothing rolling, from a bar on. */
  function keepPhrase(stretch: Stretch, reading: PlayingReading | null, laid: Laid, from: Ticks): boolean {
    const facts = factsOf(stretch);
    const document = song.document!;
    const struck = stretch.events.filter((e) => e.message.type === 'noteOn');
    // What is still held rings to where it is now.
    const now = keysDown(stretch.events).size > 0 ? performance.timeOrigin + performance.now() : 0;
    const last =
      Math.max(
        now,
        ...stretch.events.filter((e) => e.message.type === 'noteOff' || e.message.type === 'noteOn').map((e) => e.wall),
      ) / 1000;
    if (laid === 'free' || !reading) {
      const lay = inFreeTime(struck[0]!.wall / 1000, from, facts.maps.tempo);
      const range = phraseRange(from, lay(last), facts.maps.meter);
      return store([stretch], [keepFree(facts, lay, range)], { bars: barAt(facts.maps.meter, range.to - 1) });
    }
    const wander = laid.endsWith('wander');
    if (laid.startsWith('song')) {
      const lay = onSongTempo(reading, from, wander);
      const range = phraseRange(from, lay(last), facts.maps.meter);
      return store([stretch], [keepFree(facts, lay, range)], { bars: barAt(facts.maps.meter, range.to - 1) });
    }
    const tempo = tempoOfPhrase(reading, from, document.tempo, wander);
    const bar = barAt(facts.maps.meter, from);
    const meter = [
      ...document.meter.filter((m) => m.bar < bar),
      { bar, beats: reading.beatsPerBar, unit: 4 },
      ...document.meter.filter((m) => m.bar > bar),
    ];
    const maps = mapsOf({ ...document, tempo, meter });
    const lay = onSongTempo(reading, from, false);
    const range = phraseRange(from, lay(last), meterMap(meter));
    const bars = barAt(maps.meter, range.to - 1);
    return store([stretch], [keepFree({ ...facts, maps, tempo }, lay, range)], {
      bars,
      retiming: { tempo, meter, bars, takes: 'bars' },
    });
  }

  /** Forgets everything that is held and in no take. */
  async function forget(): Promise<void> {
    events = [];
    unwritten = [];
    held.value = NOTHING_HELD;
    listening = null;
    look();
    await forgetHeld().catch(() => notices.say('The browser would not forget what it holds. Try again in a moment.'));
  }

  const startBar = (tick: Ticks): Ticks => barStart(song.maps!.meter, Math.max(1, barAt(song.maps!.meter, tick)));

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
    withReleases,
    keepStretches,
    keepPhrase,
    forget,
    startBar,
  };
});
