import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import { BENCH_WAY_IN, BenchInstrument } from '~~/engine/inputs/benchInstrument';
import { Capture } from '~~/engine/inputs/capture';
import { findInputs, type FoundInput } from '~~/engine/inputs/input';
import type { SoundInput } from '~~/core/document/part';
import type { KeyMessage } from '~~/core/performance/messages';
import type { Seconds } from '~~/core/time/units';
import { wordsOf } from '~/api/api';
import { useNotices } from '~/notices/notices';
import { useSound } from './sound';

/** Simulated outside instrument, which every machine has. */
export const BENCH_INPUT: FoundInput = { device: 'bench', name: 'Bench instrument' };

const keyOf = ({ device, channels }: Pick<SoundInput, 'device' | 'channels'>): string => `${device} ${channels}`;

/** Audio inputs for outside instruments: those found, and those that are open. */
export const useInputs = defineStore('inputs', () => {
  const sound = useSound();
  const notices = useNotices();
  const found = shallowRef<readonly FoundInput[]>([]);
  /** True once the list of inputs is known. */
  const looked = ref(false);
  const trouble = ref('');
  const all = computed(() => [...found.value, BENCH_INPUT]);
  /** Found inputs by device id and name, for the brief; null where they are not known. */
  const there = computed(() =>
    looked.value || trouble.value ? new Set(all.value.flatMap((f) => [f.device, f.name])) : null,
  );
  const open = new Map<string, Capture>();
  const opening = new Map<string, Promise<Capture>>();
  let bench: BenchInstrument | undefined;

  /** @param asks true to ask for permission, without which inputs have no names */
  async function look(asks: boolean): Promise<void> {
    trouble.value = '';
    try {
      found.value = await findInputs(asks);
      // Without permission inputs have no names, so none can be said to be missing.
      looked.value = found.value.length > 0;
    } catch (error) {
      trouble.value = wordsOf(error);
    }
  }
  navigator.mediaDevices?.addEventListener('devicechange', () => {
    if (looked.value) void look(false);
  });

  async function make(input: SoundInput): Promise<Capture> {
    const { context } = sound.engine!;
    if (!looked.value) await look(false);
    if (input.device === BENCH_INPUT.device) {
      bench ??= new BenchInstrument(context);
      return Capture.of(context, bench.output, input.channels, BENCH_WAY_IN);
    }
    // Device ids differ between browsers; names do not.
    const known = found.value.find((f) => f.device === input.device) ?? found.value.find((f) => f.name === input.name);
    return Capture.open(context, known?.device ?? input.device, input.channels, () => lost(input));
  }

  function lost(input: SoundInput): void {
    open.get(keyOf(input))?.close();
    open.delete(keyOf(input));
    notices.say(`${input.name} went away. What it had sent is kept; the keys go on being recorded.`);
  }

  /** Opens an input. The audio context must be running. @throws InputFailed */
  async function get(input: SoundInput): Promise<Capture> {
    const key = keyOf(input);
    const known = open.get(key);
    if (known) return known;
    const made = opening.get(key) ?? make(input);
    opening.set(key, made);
    try {
      const capture = await made;
      open.set(key, capture);
      return capture;
    } finally {
      opening.delete(key);
    }
  }

  /** Closes all inputs but some, as the browser shows that a page is listening. */
  function keepOnly(inputs: readonly SoundInput[]): void {
    const kept = new Set(inputs.map(keyOf));
    for (const [key, capture] of open) {
      if (kept.has(key)) continue;
      capture.close();
      open.delete(key);
    }
  }

  const opened = (input: SoundInput): Capture | undefined => open.get(keyOf(input));
  /** Plays a message on the simulated instrument. @param struck time on the audio clock */
  const play = (message: KeyMessage, struck: Seconds): void => bench?.play(message, struck);

  return { all, there, looked, trouble, look, get, opened, keepOnly, play };
});
