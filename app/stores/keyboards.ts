import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { messageFromBytes, keyName, type KeyMessage } from '~~/core/performance/messages';
import type { Milliseconds } from '~~/core/time/units';
import { benchPort, type Ticker } from '~~/engine/keyboards/bench';
import { handPort } from '~~/engine/keyboards/hand';
import { ABSENCE_WORDS, watchMidi, type MidiAbsence } from '~~/engine/keyboards/midi';
import type { KeyPort } from '~~/engine/keyboards/port';
import { ask } from '~/utils/api';

export type KeysHandler = (port: string, message: KeyMessage, stamp: Milliseconds) => void;

const wordsFor = (message: KeyMessage): string => {
  switch (message.type) {
    case 'noteOn': return `${keyName(message.key)} at ${message.velocity}`;
    case 'noteOff': return `${keyName(message.key)} up`;
    case 'control': return message.controller === 64 ? `pedal ${message.value >= 64 ? 'down' : 'up'}` : `controller ${message.controller} at ${message.value}`;
    case 'bend': return 'bend';
    case 'program': return `program ${message.value + 1}`;
    default: return 'pressure';
  }
};

/** Every keyboard there is, which are on, and what they send. */
export const useKeyboards = defineStore('keyboards', () => {
  const midi = shallowRef<readonly KeyPort[]>([]);
  const absence = ref<MidiAbsence | null>(null);
  /** Ports by id; one that was never switched is on, except the two stand-ins for a keyboard. */
  const on = ref<Record<string, boolean>>({});
  /** Keys held down on each port. */
  const heldOn = shallowRef<ReadonlyMap<string, ReadonlySet<number>>>(new Map());
  const held = computed((): ReadonlySet<number> => new Set([...heldOn.value.values()].flatMap((keys) => [...keys])));
  const pedal = ref(false);
  const last = ref<{ port: string; words: string; at: number } | null>(null);
  const octave = ref(4);

  const screen = handPort('screen', 'Keys on screen', 'screen');
  const computer = handPort('computer', 'Computer keys', 'computer');
  const bench = shallowRef<ReturnType<typeof benchPort> | null>(null);
  /** How loosely the Bench keyboard plays. */
  const looseness = ref<Milliseconds>(9);

  const stops = new Map<string, () => void>();
  let handler: KeysHandler = () => {};

  const ports = computed((): KeyPort[] => [...midi.value, screen, computer, ...(bench.value ? [bench.value] : [])]);
  const isOn = (port: KeyPort): boolean => on.value[port.id] ?? (port.kind === 'midi' || port.kind === 'screen');
  const active = computed(() => ports.value.filter(isOn));
  const computerPlays = computed(() => isOn(computer));

  function hear(port: KeyPort, data: ArrayLike<number>, stamp: Milliseconds): void {
    const message = messageFromBytes(data);
    if (!message) return;
    handler(port.id, message, stamp);
    if (message.type === 'noteOn' || message.type === 'noteOff') {
      const keys = new Set(heldOn.value.get(port.id));
      if (message.type === 'noteOn') keys.add(message.key);
      else keys.delete(message.key);
      heldOn.value = new Map(heldOn.value).set(port.id, keys);
    } else if (message.type === 'control' && message.controller === 64) pedal.value = message.value >= 64;
    last.value = { port: port.name, words: wordsFor(message), at: stamp };
  }

  /** Opens what is on and closes what is not. A port that goes releases the keys it held. */
  function follow(): void {
    const wanted = new Map(active.value.map((p) => [p.id, p]));
    for (const [id, stop] of stops) {
      if (wanted.has(id)) continue;
      stop();
      stops.delete(id);
      releaseAll(id);
    }
    for (const [id, port] of wanted) {
      if (!stops.has(id)) stops.set(id, port.listen(({ data, timeStamp }) => hear(port, data, timeStamp)));
    }
  }

  function releaseAll(port: string): void {
    const now = performance.now();
    for (const key of heldOn.value.get(port) ?? []) handler(port, { type: 'noteOff', key, velocity: 64 }, now);
    handler(port, { type: 'control', controller: 64, value: 0 }, now);
    heldOn.value = new Map(heldOn.value).set(port, new Set());
    pedal.value = false;
  }

  async function set(port: KeyPort, value: boolean): Promise<void> {
    on.value = { ...on.value, [port.id]: value };
    follow();
    await ask(`/api/devices/${encodeURIComponent(port.id)}`, { on: value }, 'PUT').catch(() => {});
  }

  /** @param keys told of every message of every keyboard that is on */
  async function start(ticker: Ticker, keys: KeysHandler): Promise<void> {
    handler = keys;
    bench.value = benchPort(ticker, () => performance.now());
    follow();
    const known = await ask<Record<string, { on: boolean }>>('/api/devices').catch(() => ({}));
    on.value = { ...Object.fromEntries(Object.entries(known).map(([id, d]) => [id, d.on])), ...on.value };
    follow();
    await lookForMidi();
  }

  const lookForMidi = (): Promise<void> => watchMidi((found) => {
    midi.value = found.ports;
    absence.value = found.absence;
    follow();
  });

  const absenceWords = computed(() => absence.value && ABSENCE_WORDS[absence.value]);

  return {
    ports, active, absence, absenceWords, held, pedal, last, octave, looseness, screen, computer, bench, computerPlays,
    isOn, set, start, lookForMidi,
  };
});
