import { defineStore } from 'pinia';
import { computed, ref, shallowRef, watch } from 'vue';
import { sectionsOf } from '~~/core/document/maps';
import type { Join, Mark, Take } from '~~/core/document/take';
import { SILENCE, eventsFromReading, type Reading } from '~~/core/performance/notes';
import { auditioned, type Audition } from '~~/core/picking/audition';
import { cleanPlace, joinsOf, type JoinState } from '~~/core/picking/joins';
import { heardIn } from '~~/core/picking/sentence';
import { whyOf, type Suggested } from '~~/core/picking/suggest';
import { soundOfLine } from '~~/core/reading/sound';
import { lineOf, readPart } from '~~/core/reading/reading';
import { spreadOf } from '~~/core/song/takes';
import { pick as picked, unpicked, type Pick } from '~~/core/takes/line';
import { barAt, barStart, meterAt } from '~~/core/time/meter';
import { secondsAt } from '~~/core/time/tempo';
import { inRange, type Seconds, type TickRange, type Ticks } from '~~/core/time/units';
import { nearestGridPoint } from '~~/core/timing/grid';
import { useComp } from '~/song/comp';
import { useLayers } from '~/song/layers';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from '~/transport/pass';
import { useRoll } from '~/transport/roll';
import { useComparing } from './useComparing';

export const ORDERS = ['number', 'marks', 'steadiest'] as const;
export type Order = (typeof ORDERS)[number];
const MARK_RANK: Readonly<Record<Mark, number>> = { good: 0, maybe: 1, no: 3 };
const NO_MARK = 2;
/** Distance in beats within which a dragged join snaps to a place where nothing is cut. */
const NEAR_CLEAN = 0.5;
/** Interval at which a run reads the song's place. */
const RUN_LOOKS_MS = 30;
export type Edges = 'bar' | 'beat' | 'free';

/** State of picking: the range, what is heard, and what is selected. */
export const usePick = defineStore('pick', () => {
  const song = useSong();
  const openSong = useOpenSong();
  const reading = useReading();
  const layers = useLayers();
  const roll = useRoll();
  const pass = usePass();
  const { pickTakes } = useComp();
  /** True while the station is on screen. Elsewhere nothing is compared. */
  const open = ref(false);

  const part = computed(() => reading.shown);
  const maps = computed(() => openSong.maps);
  const takeOf = (id: string): Take | undefined => part.value?.takes.find((t) => t.id === id);
  const read = (id: string): Reading => {
    const take = takeOf(id);
    return take ? reading.readTake(take) : SILENCE;
  };
  const numberOf = (id: string): string => String(takeOf(id)?.number ?? '?');

  // Range that is shown.
  const sections = computed(() => sectionsOf(openSong.document, maps.value.meter));
  const chosen = shallowRef<TickRange | null>(null);
  const whole = computed((): TickRange => ({ from: 0, to: maps.value.end }));
  const shownRange = computed((): TickRange => {
    if (chosen.value && chosen.value.to <= maps.value.end) return chosen.value;
    return sections.value.find((s) => inRange(roll.playhead, s)) ?? sections.value[0] ?? whole.value;
  });
  /** Shows the section, selection or song after or before the shown one. */
  function step(by: number): void {
    const all = sections.value;
    const here = all.findIndex((s) => s.from <= shownRange.value.from && s.to > shownRange.value.from);
    const next = all[Math.max(0, Math.min(all.length - 1, here + by))];
    if (next) look({ from: next.from, to: next.to });
  }
  function look(range: TickRange): void {
    stopHearing();
    chosen.value = range;
    selected.value = null;
  }
  const bars = computed(() => {
    const { meter } = maps.value;
    const first = barAt(meter, shownRange.value.from);
    const last = barAt(meter, shownRange.value.to - 1);
    return Array.from({ length: last - first + 1 }, (_, i) => first + i);
  });

  // Lanes.
  const order = ref<Order>('number');
  const hidden = shallowRef<ReadonlySet<string>>(new Set());
  const spread = (take: Take) => spreadOf(reading.readTake(take), maps.value);
  const there = computed(() =>
    (part.value?.takes ?? []).filter((t) => t.from < shownRange.value.to && t.to > shownRange.value.from),
  );
  const rankOf = (take: Take): number => {
    if (order.value === 'steadiest') return spread(take) ?? Infinity;
    if (order.value === 'number') return take.number;
    return take.mark ? MARK_RANK[take.mark] : NO_MARK;
  };
  const lanes = computed(() =>
    there.value
      .filter((t) => !hidden.value.has(t.id))
      .map((take) => ({ take, rank: rankOf(take) }))
      .sort((a, b) => a.rank - b.rank || a.take.number - b.take.number)
      .map(({ take }) => take),
  );
  const hide = (id: string, off = true): void => {
    const now = new Set(hidden.value);
    if (off) now.add(id);
    else now.delete(id);
    hidden.value = now;
  };
  const showAll = (): void => {
    hidden.value = new Set();
  };

  /** Cursor of the keyboard: a lane and a bar. */
  const cursor = ref({ lane: 0, bar: 1 });
  const atCursor = computed(() => lanes.value[Math.min(cursor.value.lane, lanes.value.length - 1)]);
  /** Bars that are selected in the lanes; null for the cursor's bar alone. */
  const selected = shallowRef<TickRange | null>(null);
  const barRange = (from: number, to = from): TickRange => ({
    from: barStart(maps.value.meter, Math.min(from, to)),
    to: barStart(maps.value.meter, Math.max(from, to) + 1),
  });
  const target = computed(() => selected.value ?? barRange(cursor.value.bar));
  watch(bars, (now) => {
    if (!now.includes(cursor.value.bar)) cursor.value = { ...cursor.value, bar: now[0] ?? 1 };
  });

  // Comparison of the takes.
  const marks = computed(() => new Map(part.value?.takes.flatMap((t) => (t.mark ? [[t.id, t.mark] as const] : []))));
  // A change of levels leaves the list of takes, and so the comparison, as it is.
  const ofPart = computed(() => part.value?.takes ?? []);
  const form = computed(() => song.document?.bars ?? 0);
  const tempo = computed(() => song.document?.tempo ?? []);
  const meter = computed(() => song.document?.meter ?? []);
  const compared = computed(() => {
    if (!open.value || ofPart.value.length === 0) return null;
    const read = reading.readTake;
    const takes = ofPart.value.map((take) => ({ id: take.id, from: take.from, to: take.to, ...read(take) }));
    const marked = ofPart.value.flatMap((t) => (t.mark ? [[t.id, t.mark] as const] : []));
    return { takes, marks: new Map(marked), bars: form.value, tempo: tempo.value, meter: meter.value };
  });
  const known = useComparing(() => compared.value);

  const joins = computed((): JoinState[] => {
    const p = part.value;
    return p ? joinsOf(p, read, maps.value.tempo, maps.value.meter) : [];
  });
  const joinsHere = computed(() => {
    const { from, to } = shownRange.value;
    return joins.value.filter((j) => j.at > from && j.at < to);
  });
  const heard = computed(() => (part.value ? heardIn(part.value, shownRange.value) : []));

  function pickAll(picks: readonly Pick[]): void {
    if (part.value) pickTakes(part.value, picks);
  }
  function pickTake(take: Take, range: TickRange): void {
    const [from, to] = [Math.max(range.from, take.from), Math.min(range.to, take.to)];
    if (to > from) pickAll([{ from, to, takeId: take.id, by: 'hand' }]);
  }
  const pickController = (take: Take, lane: string | null): void => {
    if (part.value)
      song.run({ type: 'pick controllers', part: part.value.id, pick: { ...target.value, takeId: take.id, lane } });
  };

  // Edge that is being dragged.
  const edges = ref<Edges>('bar');
  function edgeAt(tick: Ticks, before: string, after: string, within: TickRange): Ticks {
    const { meter } = maps.value;
    const { ticksPerBeat } = meterAt(meter, tick);
    const bar = barAt(meter, tick);
    const [start, next] = [barStart(meter, bar), barStart(meter, bar + 1)];
    const toBar = tick - start < next - tick ? start : next;
    const toBeat = nearestGridPoint('4 straight', meter, tick);
    const snapped = { bar: toBar, beat: toBeat, free: Math.round(tick) }[edges.value];
    const clean = cleanPlace(read(before), read(after), snapped, within, meter);
    const near = clean !== undefined && Math.abs(clean - snapped) <= NEAR_CLEAN * ticksPerBeat;
    return Math.max(within.from + 1, Math.min(within.to - 1, near ? clean : snapped));
  }
  /** Moves a join: the place where one take ends and the next begins. */
  function moveJoin(join: Meeting, to: Ticks): void {
    const { at, before, after } = join;
    if (to === at) return;
    pickAll([to < at ? { from: to, to: at, takeId: after, by: 'hand' } : { from: at, to, takeId: before, by: 'hand' }]);
  }
  /** Place where two takes meet. */
  type Meeting = { readonly at: Ticks; readonly before: string; readonly after: string };
  /** Range that a join can be moved in: between its neighbours, where both takes are. */
  function roomOf({ at, before, after }: Meeting): TickRange {
    const comp = part.value?.comp ?? [];
    const [a, b] = [comp.find((p) => p.to === at), comp.find((p) => p.from === at)];
    return {
      from: Math.max(a?.from ?? 0, takeOf(after)?.from ?? 0),
      to: Math.min(b?.to ?? Infinity, takeOf(before)?.to ?? Infinity),
    };
  }
  const cleanFor = (join: JoinState): Ticks | undefined =>
    cleanPlace(read(join.before), read(join.after), join.at, roomOf(join), maps.value.meter);
  function setJoin(join: JoinState, to: Partial<Omit<Join, 'at' | 'before' | 'after'>>): void {
    const { at, before, after, choice } = join;
    const { held, lift, drop, keep } = choice;
    const own: Join = { at, before, after, held, lift, drop: [...drop], keep: [...keep], passed: null, ...to };
    if (part.value) song.run({ type: 'set join', part: part.value.id, join: own });
  }

  // Take that is heard instead of the line.
  const hearing = shallowRef<Audition | null>(null);
  function hear(audition: Audition | null): void {
    if (JSON.stringify(audition) === JSON.stringify(hearing.value)) return;
    hearing.value = audition;
  }
  const stopHearing = (): void => hear(null);
  /** Run in which takes are switched while the song plays. */
  const running = shallowRef<{
    readonly since: Ticks;
    readonly takeId: string;
    readonly picks: readonly Pick[];
  } | null>(null);
  watch([hearing, running, part], () => {
    if (!open.value) return;
    const p = part.value;
    const asked = hearing.value;
    const run = running.value;
    let shown = p && asked ? auditioned(p, asked) : undefined;
    if (p && run) {
      const to = takeOf(run.takeId)?.to ?? run.since;
      const rest = to > run.since ? [{ from: run.since, to, takeId: run.takeId }] : [];
      shown = { ...p, comp: [...run.picks, ...rest].reduce<readonly Pick[]>(picked, p.comp) };
    }
    roll.preview = shown
      ? {
          ...{ part: shown.id, line: lineOf(shown, reading.readTake, maps.value) },
          ...(shown.heardAs === 'recorded' ? { sounds: soundOfLine(shown, reading.sources, maps.value) } : {}),
        }
      : null;
  });

  /**
   * Begins a run: the take at the cursor is heard and picked until the song stops, whichever lane the cursor is moved
   * to.
   */
  function beginRun(): void {
    const take = atCursor.value;
    if (!take || running.value) return;
    stopHearing();
    lastTick = roll.tickNow();
    running.value = { since: Math.round(lastTick), takeId: take.id, picks: [] };
    following = setInterval(followRun, RUN_LOOKS_MS);
  }
  /** Picks up to the song's place; where a loop has gone back, up to its end as well. */
  function followRun(): void {
    const run = running.value;
    if (!run || !pass.rolling) return;
    const now = roll.tickNow();
    if (now < lastTick) running.value = { ...run, since: Math.round(now), picks: runTo(Math.round(lastTick)) };
    lastTick = now;
  }
  /** Ranges that the run picked up to a place. */
  function runTo(at: Ticks): Pick[] {
    const run = running.value;
    if (!run || at <= run.since) return [...(run?.picks ?? [])];
    const to = Math.min(at, takeOf(run.takeId)?.to ?? at);
    return [
      ...run.picks,
      ...(to > run.since ? [{ from: run.since, to, takeId: run.takeId, by: 'hand' as const }] : []),
    ];
  }
  function endRun(): void {
    if (!running.value) return;
    clearInterval(following);
    const picks = runTo(Math.round(lastTick));
    running.value = null;
    pickAll(picks);
  }
  let lastTick: Ticks = 0;
  let following: ReturnType<typeof setInterval> | undefined;
  watch(
    () => pass.rolling,
    (rolls) => {
      if (!rolls) endRun();
    },
  );
  /** Moves the cursor to another lane; during a run that take is heard from here on. */
  function toLane(by: number): void {
    const lane = Math.max(0, Math.min(lanes.value.length - 1, cursor.value.lane + by));
    cursor.value = { ...cursor.value, lane };
    const take = atCursor.value;
    const run = running.value;
    if (!run || !take || take.id === run.takeId) return;
    const at = nearestGridPoint('8 straight', maps.value.meter, roll.tickNow());
    running.value = { since: Math.max(at, run.since), takeId: take.id, picks: runTo(at) };
  }

  // Suggested comp.
  const suggested = computed((): readonly Suggested[] => known.value?.suggested ?? []);
  const overHand = ref(false);
  /** Reason for a suggestion in part of its range, which can differ from that for the whole. */
  function whyHere(place: Pick) {
    const facts = known.value;
    return facts && whyOf(place, part.value?.takes ?? [], facts.comparison, marks.value, maps.value.meter);
  }
  /** Suggestions in a range, without the bars that were picked by hand. */
  function suggestedIn(range: TickRange): Suggested[] {
    const byHand = overHand.value ? [] : (part.value?.comp ?? []).filter((p) => p.by === 'hand');
    return suggested.value
      .map((s) => ({ ...s, from: Math.max(s.from, range.from), to: Math.min(s.to, range.to) }))
      .flatMap((s) => byHand.reduce((left, hand) => unpicked(left, hand), [s]))
      .filter((s) => s.to > s.from)
      .map((s) => ({ ...s, why: whyHere(s) ?? s.why }));
  }
  const accept = (all: readonly Suggested[]): void =>
    pickAll(all.map(({ from, to, takeId }) => ({ from, to, takeId, by: 'suggestion' as const })));

  /** Makes one take of the comp. */
  function makeTake(): void {
    const p = part.value;
    const opened = song.document;
    if (!p || !opened || p.comp.length === 0) return;
    const range = { from: p.comp[0]!.from, to: p.comp.at(-1)!.to };
    const events = eventsFromReading(readPart(p, reading.readTake)).map(({ at, message }) => ({
      at: secondsAt(maps.value.tempo, at),
      message,
    }));
    const [id, takeId, passId] = [crypto.randomUUID(), crypto.randomUUID(), crypto.randomUUID()];
    const startedAt = new Date().toISOString();
    const placement = { policy: 'heard', nudge: 0 } as const;
    const header = {
      ...{ id, partId: p.id, passId, takeId, source: 'copy' as const, from: 'what was picked', startedAt },
      ...{ tempo: [...opened.tempo], latency: { output: 0, input: 0 }, placement },
      ...{ planned: range, early: 0, quantize: null },
      ...(reading.transposition.length > 0 ? { transposition: reading.transposition } : {}),
    };
    layers.store([
      { layer: { header, closing: { range, clears: [], rings: maps.value.end }, events }, mode: 'new take' },
    ]);
    const take = { id: takeId, layer: id, name: 'What was picked', at: startedAt, range };
    song.run({ type: 'add take', part: p.id, take, heard: true });
  }

  /** Moves a whole take by some seconds. */
  function moveTake(take: string, by: Seconds): void {
    if (part.value) song.run({ type: 'move take', part: part.value.id, take, by });
  }

  function enter(): void {
    open.value = true;
  }
  function leave(): void {
    endRun();
    stopHearing();
    roll.preview = null;
    open.value = false;
  }

  return {
    ...{ part, takeOf, numberOf, read, spread },
    ...{ sections, shownRange, whole, bars, step, look },
    ...{ order, hidden, hide, showAll, lanes, there, cursor, atCursor, selected, target, barRange, toLane },
    ...{ known, joins, joinsHere, heard, pickTake, pickController, pickAll, moveTake },
    ...{ edges, edgeAt, moveJoin, roomOf, cleanFor, setJoin },
    ...{ hearing, hear, stopHearing, running, beginRun, endRun },
    ...{ suggested, overHand, suggestedIn, accept, makeTake, enter, leave },
  };
});
