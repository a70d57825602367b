import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import {
  AT_REST,
  keyboardSchema,
  PLAIN_KEYBOARD,
  throughKeyboard,
  type KeyboardSettings,
  type KeyboardState,
  type Outcome,
} from '~~/core/performance/keyboard';
import { laneWords } from '~~/core/recording/brief';
import { laneOf, type Lane } from '~~/core/performance/controls';
import { isNote, keyName, type KeyMessage } from '~~/core/performance/messages';
import { letGo, learnedStep, NOTHING_LEARNED, type Action, type LearnedState } from '~~/core/performance/learned';
import type { Milliseconds } from '~~/core/time/units';
import { benchKeyboardPort, type Ticker } from '~~/engine/keyboards/benchKeyboard';
import { handPort } from '~~/engine/keyboards/hand';
import { ABSENCE_WORDS, watchMidi, type MidiAbsence, type MidiOut } from '~~/engine/keyboards/midi';
import type { KeyPort } from '~~/engine/keyboards/port';
import { wordsOf } from '~/api/api';
import { askInTurn } from '~/api/inTurn';
import { useNotices } from '~/notices/notices';
import { askRemembered } from '~/notices/remembered';

export type KeysHandler = (port: string, message: KeyMessage, stamp: Milliseconds) => void;

/** Receivers of the keys. */
export interface KeysOut {
  /** Receives messages for sounding, at once. */
  readonly sounded: KeysHandler;
  /** Receives messages for recording. One that could begin a taught action is delayed, with its original time stamp. */
  readonly kept: KeysHandler;
  readonly learned: (action: Action) => void;
}

const wordsFor = (message: KeyMessage): string => {
  switch (message.type) {
    case 'noteOn':
      return `${keyName(message.key)} at ${message.velocity}`;
    case 'noteOff':
      return `${keyName(message.key)} up`;
    case 'control':
      return message.controller === 64
        ? `pedal ${message.value >= 64 ? 'down' : 'up'}`
        : `controller ${message.controller} at ${message.value}`;
    case 'bend':
      return 'bend';
    case 'program':
      return `program ${message.value + 1}`;
    default:
      return 'pressure';
  }
};

/** Number of notes that are shown on the touch curve. */
const MOST_VELOCITIES = 40;

const LEFT_OUT_WORDS: Readonly<Record<Extract<Outcome, { type: 'left out' }>['why'], string>> = {
  notes: 'a note',
  release: 'a release velocity',
  sustain: 'the sustain pedal',
  pedals: 'a pedal',
  controllers: 'a controller',
  bend: 'the bend wheel',
  pressure: 'pressure',
  program: 'a program change',
  exclusive: 'a system exclusive message',
  channel: 'something on another channel',
  range: 'a key outside its range',
};

/** Longest wait for remembered settings before MIDI is opened. */
const REMEMBERED_WITHIN: Milliseconds = 1000;

/** All keyboards: which are switched on, and what they send. */
export const useKeyboards = defineStore('keyboards', () => {
  const notices = useNotices();
  const midi = shallowRef<readonly KeyPort[]>([]);
  /** MIDI outputs, for instruments outside. */
  const outputs = shallowRef<readonly MidiOut[]>([]);
  const absence = ref<MidiAbsence | null>(null);
  /** Remembered settings, by port id. */
  const remembered = ref<Record<string, KeyboardSettings>>({});
  const states = new Map<string, KeyboardState>();
  /**
   * Number of messages that settings have left out, by port and reason; and the last one, until another gets through.
   */
  const leftOut = shallowRef<ReadonlyMap<string, Readonly<Record<string, number>>>>(new Map());
  const lastLeftOut = ref<{ port: string; id: string; words: string } | null>(null);
  /** Velocities of each port's last notes, as they came and as they went on, for the touch curve. */
  const velocities = shallowRef<ReadonlyMap<string, readonly (readonly [number, number])[]>>(new Map());
  /** Keys held down on each port. */
  const heldOn = shallowRef<ReadonlyMap<string, ReadonlySet<number>>>(new Map());
  const held = computed((): ReadonlySet<number> => new Set([...heldOn.value.values()].flatMap((keys) => [...keys])));
  const pedal = ref(false);
  /** Last message in words, by port id. */
  const lastOf = shallowRef<ReadonlyMap<string, { readonly words: string; readonly at: Milliseconds }>>(new Map());
  /**
   * Time at which a keyboard that is switched off was played last, by port id. It is known while `hearOff` is in force.
   */
  const offAt = shallowRef<ReadonlyMap<string, Milliseconds>>(new Map());
  const hearsOff = ref(false);
  /** Controller that was moved last. */
  const lastLane = ref<Lane | null>(null);
  const octave = ref(4);

  const screen = handPort('screen', 'Keys on screen', 'screen');
  const computer = handPort('computer', 'Computer keys', 'computer');
  const bench = shallowRef<ReturnType<typeof benchKeyboardPort> | null>(null);
  /** Looseness of the Bench keyboard. */
  const looseness = ref<Milliseconds>(9);

  /** Extra delay of the Bench keyboard's hearing, which simulates a long output latency. */
  const hearsLate = ref<Milliseconds>(0);

  const stops = new Map<string, () => void>();
  const handlers = new Set<KeysHandler>();
  let out: KeysOut = { sounded: () => {}, kept: () => {}, learned: () => {} };
  const learned = new Map<string, LearnedState>();
  /** Ports whose command key is down: their keys are commands. */
  const commanding = shallowRef<ReadonlySet<string>>(new Set());
  /** Receiver of all messages while a key is being taught. */
  const learner = shallowRef<((port: string, message: KeyMessage) => void) | null>(null);

  const ports = computed((): KeyPort[] => [...midi.value, screen, computer, ...(bench.value ? [bench.value] : [])]);
  const settingsOf = (id: string): KeyboardSettings => remembered.value[id] ?? PLAIN_KEYBOARD;
  /** Test for a port that is switched on. Ports are on by default, except the two simulated keyboards. */
  const isOn = (port: KeyPort): boolean => settingsOf(port.id).on ?? (port.kind === 'midi' || port.kind === 'screen');
  const nameOf = (port: Pick<KeyPort, 'id' | 'name'>): string => settingsOf(port.id).name || port.name;
  const active = computed(() => ports.value.filter(isOn));
  const computerPlays = computed(() => isOn(computer));

  function hear(port: KeyPort, data: ArrayLike<number>, stamp: Milliseconds): void {
    if (!isOn(port)) {
      // A keyboard's own MIDI clock does not count as playing.
      if ((data[0] ?? 0) < 0xf0) offAt.value = new Map(offAt.value).set(port.id, stamp);
      return;
    }
    const { state, outcome } = throughKeyboard(settingsOf(port.id), states.get(port.id) ?? AT_REST, data);
    states.set(port.id, state);
    if (outcome.type === 'left out') countLeftOut(port, outcome.why);
    if (outcome.type !== 'through') return;
    const { message } = outcome;
    if (learner.value) learner.value(port.id, message);
    else pass(port.id, message, stamp);
    handlers.forEach((handler) => handler(port.id, message, stamp));
    if (message.type === 'noteOn' || message.type === 'noteOff') {
      const keys = new Set(heldOn.value.get(port.id));
      if (message.type === 'noteOn') keys.add(message.key);
      else keys.delete(message.key);
      heldOn.value = new Map(heldOn.value).set(port.id, keys);
      if (message.type === 'noteOn')
        velocities.value = new Map(velocities.value).set(
          port.id,
          [...(velocities.value.get(port.id) ?? []), [data[2] ?? 0, message.velocity] as const].slice(-MOST_VELOCITIES),
        );
    } else if (message.type === 'control' && message.controller === 64) pedal.value = message.value >= 64;
    if (!isNote(message) && lastLane.value !== laneOf(message)) lastLane.value = laneOf(message);
    lastOf.value = new Map(lastOf.value).set(port.id, { words: wordsFor(message), at: stamp });
    lastLeftOut.value = null;
  }

  function setLearned(port: string, state: LearnedState | null): void {
    if (state) learned.set(port, state);
    else learned.delete(port);
    const isOn = Boolean(state?.commands);
    if (commanding.value.has(port) === isOn) return;
    commanding.value = new Set([...commanding.value].filter((p) => p !== port).concat(isOn ? [port] : []));
  }

  /**
   * Sends a message through the keyboard's taught actions. A message that triggers one is not sounded; one that only
   * might is.
   */
  function pass(port: string, message: KeyMessage, stamp: Milliseconds): void {
    const step = learnedStep(settingsOf(port).learned, learned.get(port) ?? NOTHING_LEARNED, { message, stamp });
    setLearned(port, step.state);
    const waits = [...step.state.waiting.values()].some((w) => w.messages.some((m) => m.message === message));
    if (waits || step.through.some((t) => t.message === message)) out.sounded(port, message, stamp);
    for (const t of step.through) out.kept(port, t.message, t.stamp);
    step.actions.forEach((action) => out.learned(action));
  }

  /** Passes on messages that were delayed for an action that did not come. */
  function letGoOf(now: Milliseconds): void {
    for (const [port, before] of learned) {
      if (before.waiting.size === 0) continue;
      const step = letGo(before, now);
      learned.set(port, step.state);
      for (const t of step.through) out.kept(port, t.message, t.stamp);
    }
  }

  function countLeftOut(port: KeyPort, why: Extract<Outcome, { type: 'left out' }>['why']): void {
    const counts = leftOut.value.get(port.id) ?? {};
    leftOut.value = new Map(leftOut.value).set(port.id, { ...counts, [why]: (counts[why] ?? 0) + 1 });
    lastLeftOut.value = { port: nameOf(port), id: port.id, words: LEFT_OUT_WORDS[why] };
  }

  /** Words for what a keyboard's settings leave out. */
  function leavesOut(id: string): string[] {
    const {
      leftOut: { kinds, controllers },
    } = settingsOf(id);
    const words: Partial<Record<(typeof kinds)[number], string>> = {
      notes: 'notes',
      sustain: 'the sustain pedal',
      pedals: 'other pedals',
      controllers: 'controllers',
      bend: 'bend',
      pressure: 'pressure',
    };
    return [...kinds.flatMap((k) => words[k] ?? []), ...controllers.map((c) => laneWords(`control ${c}`))];
  }

  /** Adds a listener to the keys. @returns a function that removes it */
  function listen(handler: KeysHandler): () => void {
    handlers.add(handler);
    return () => handlers.delete(handler);
  }

  /** Opens ports that are switched on, and closes the others. A closed port releases its keys. */
  function follow(): void {
    const wanted = new Map((hearsOff.value ? ports.value : active.value).map((p) => [p.id, p]));
    const on = new Set(active.value.map((p) => p.id));
    for (const [id, stop] of stops) {
      if (!on.has(id) && states.has(id)) releaseAll(id);
      if (wanted.has(id)) continue;
      stop();
      stops.delete(id);
    }
    for (const [id, port] of wanted) {
      if (!stops.has(id))
        stops.set(
          id,
          port.listen(({ data, timeStamp }) => hear(port, data, timeStamp)),
        );
    }
  }

  /** Releases all keys of all ports. */
  const releaseEverything = (): void => {
    for (const id of heldOn.value.keys()) releaseAll(id);
  };

  function releaseAll(port: string): void {
    states.delete(port);
    const now = performance.now();
    letGoOf(Infinity);
    setLearned(port, null);
    for (const message of [
      ...[...(heldOn.value.get(port) ?? [])].map((key): KeyMessage => ({ type: 'noteOff', key, velocity: 64 })),
      { type: 'control', controller: 64, value: 0 } as const,
    ]) {
      out.sounded(port, message, now);
      out.kept(port, message, now);
    }
    heldOn.value = new Map(heldOn.value).set(port, new Set());
    pedal.value = false;
  }

  /** Changes a keyboard's settings, here at once and on the server in turn. */
  function change(id: string, to: Partial<KeyboardSettings>): Promise<void> {
    const settings = { ...settingsOf(id), ...to };
    remembered.value = { ...remembered.value, [id]: settings };
    follow();
    const notRemembered = (error: unknown): void =>
      notices.say(
        `What was set of ${settings.name || 'a keyboard'} holds in this window, and is not remembered: ` +
          `${wordsOf(error)} Set it once more then.`,
        'attention',
        { about: `keyboard ${id}` },
      );
    return askInTurn(`/api/devices/${encodeURIComponent(id)}`, to).then(() => {}, notRemembered);
  }
  const set = (port: KeyPort, on: boolean): Promise<void> => {
    offAt.value = new Map([...offAt.value].filter(([id]) => id !== port.id));
    return change(port.id, { on });
  };

  /** Listens also to keyboards that are switched off, until the returned function is called. */
  function hearOff(): () => void {
    hearsOff.value = true;
    follow();
    return () => {
      hearsOff.value = false;
      follow();
    };
  }

  /** @param keys receives the messages of all keyboards that are on */
  async function start(ticker: Ticker, keys: KeysOut): Promise<void> {
    out = keys;
    bench.value = benchKeyboardPort(ticker, () => performance.now());
    follow();
    const remembering = remember();
    await Promise.race([remembering, new Promise((done) => setTimeout(done, REMEMBERED_WITHIN))]);
    await lookForMidi();
  }

  /** Loads remembered settings. Until they are here, keyboards are played without them, which a notice says. */
  async function remember(): Promise<void> {
    const known = await askRemembered('/api/devices', (value) => keyboardSchema.safeParse(value).data, {
      about: 'keyboards remembered',
      away: (why) =>
        `What is remembered of the keyboards is not here yet: ${why} Until it is, they are played as they come, ` +
        'without transposition, filters or taught keys.',
      lost: (count) =>
        `What is remembered of ${count === 1 ? 'a keyboard' : `${count} keyboards`} cannot be read, and was left as ` +
        'it is. It is played as it comes: set it once more, in Line check.',
    });
    if (!known) return;
    remembered.value = { ...known, ...remembered.value };
    follow();
  }

  const lookForMidi = (): Promise<void> =>
    watchMidi((found) => {
      const gone = midi.value.filter((p) => isOn(p) && !found.ports.some((f) => f.id === p.id));
      for (const port of gone)
        notices.say(
          `${nameOf(port)} went away. The notes it held were ended, and everything goes on. Plug it in ` +
            'again, and it is back by itself.',
        );
      midi.value = found.ports;
      outputs.value = found.outputs;
      absence.value = found.absence;
      follow();
    });

  const absenceWords = computed(() => absence.value && ABSENCE_WORDS[absence.value]);

  return {
    ports,
    outputs,
    active,
    absence,
    absenceWords,
    held,
    pedal,
    lastOf,
    offAt,
    hearOff,
    lastLane,
    commanding,
    octave,
    looseness,
    hearsLate,
    screen,
    computer,
    bench,
    computerPlays,
    velocities,
    leftOut,
    lastLeftOut,
    learner,
    letGo: letGoOf,
    leavesOut,
    settingsOf,
    nameOf,
    change,
    listen,
    releaseEverything,
    isOn,
    set,
    start,
    lookForMidi,
  };
});
