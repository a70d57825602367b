import { z } from 'zod';
import type { Milliseconds } from '../time/units';
import { COMMANDS_BY_KEY } from './commandKeys';
import type { KeyMessage } from './messages';

/** Actions that a key or pedal can be taught. */
export const ACTIONS = [
  ...(['record', 'stop', 'play', 'go again', 'keep', 'undo', 'undo pass', 'redo'] as const),
  ...(['next take', 'previous take', 'mark good', 'mark maybe', 'mark no'] as const),
  ...(['in', 'out', 'lead-in', 'loop', 'next section', 'previous section'] as const),
  ...([
    'next part',
    'previous part',
    'plain',
    'next preset',
    'previous preset',
    'click',
    'click louder',
    'click softer',
    'slower',
    'faster',
    'wait',
    'next mode',
    'copy here',
    'bar back',
    'bar on',
    'quantize',
    'steady',
    'panic',
  ] as const),
] as const;
export type Action = (typeof ACTIONS)[number];

/** Name of the command key among the teachable actions: while it is down, the keyboard's other keys are commands. */
export const COMMAND_KEY = 'commands';

const triggerSchema = z
  .object({ kind: z.enum(['note', 'control']), number: z.number().int().min(0).max(127) })
  .readonly();
export type Trigger = z.infer<typeof triggerSchema>;

/** Taught key, pedal or chord, with its action. */
export const learnedCommandSchema = z
  .object({
    action: z.enum([...ACTIONS, COMMAND_KEY]),
    /** Gesture: `press` once, `double` twice in quick succession, `chord` all together. */
    needs: z.enum(['press', 'double', 'chord']),
    triggers: z.array(triggerSchema).min(1).max(6).readonly(),
  })
  .readonly();
export type LearnedCommand = z.infer<typeof learnedCommandSchema>;

export interface Timed {
  readonly message: KeyMessage;
  readonly stamp: Milliseconds;
}

interface Waiting {
  readonly messages: readonly Timed[];
  readonly due: Milliseconds;
}

/** State of a keyboard's stream, by trigger. */
export interface LearnedState {
  /** Presses that are held back until it is known whether the rest of the gesture follows. */
  readonly waiting: ReadonlyMap<string, Waiting>;
  /** Keys that are down and were part of an action, whose release belongs to it too. */
  readonly spent: ReadonlySet<string>;
  /** Controllers that are pressed. */
  readonly pressed: ReadonlySet<string>;
  /** Command key that is down: notes are commands until it is up. */
  readonly commands: string | null;
}
export const NOTHING_LEARNED: LearnedState = {
  waiting: new Map(),
  spent: new Set(),
  pressed: new Set(),
  commands: null,
};

/** Time within which the keys of a chord are pressed, shorter than in a fast figure. */
export const TOGETHER: Milliseconds = 60;
/**
 * Time within which two presses are a double press. Held-back keys are delayed by this, with their original time
 * stamps.
 */
export const TWICE: Milliseconds = 300;

export interface LearnedStep {
  readonly state: LearnedState;
  /** Messages that are recorded. */
  readonly through: readonly Timed[];
  readonly actions: readonly Action[];
}

const nameOf = ({ kind, number }: Trigger): string => `${kind} ${number}`;

function triggerOf(message: KeyMessage): string | undefined {
  if (message.type === 'noteOn' || message.type === 'noteOff') return `note ${message.key}`;
  return message.type === 'control' ? `control ${message.controller}` : undefined;
}

/** Releases messages that were held back for a gesture that did not come. */
export function letGo(state: LearnedState, now: Milliseconds): LearnedStep {
  const over = [...state.waiting].filter(([, { due }]) => due < now);
  if (over.length === 0) return { state, through: [], actions: [] };
  const waiting = new Map(state.waiting);
  over.forEach(([name]) => waiting.delete(name));
  const through = over.flatMap(([, { messages }]) => messages).sort((a, b) => a.stamp - b.stamp);
  return { state: { ...state, waiting }, through, actions: [] };
}

/** Message of a command's trigger. */
interface Gesture {
  readonly command: LearnedCommand;
  /** Name of the trigger. */
  readonly name: string;
  readonly given: Timed;
  readonly down: boolean;
  /** False for a release, and for the further values of a controller on its way down. */
  readonly press: boolean;
}

/** Changes by one message, beside what was let go before it. */
interface Outcome {
  readonly next?: Partial<LearnedState>;
  readonly through?: readonly Timed[];
  /** True when the gesture is complete. */
  readonly asked?: boolean;
}

const withWaiting = (state: LearnedState, name: string, waiting: Waiting): Outcome => ({
  next: { waiting: new Map(state.waiting).set(name, waiting) },
});

/** A release, or a further value: it belongs to what its press began. */
function notPressed(state: LearnedState, { name, given, down }: Gesture): Outcome {
  if (state.spent.has(name)) return down ? {} : { next: { spent: withoutSpent(state, name).spent } };
  const waits = state.waiting.get(name);
  if (!waits) return { through: [given] };
  return withWaiting(state, name, { ...waits, messages: [...waits.messages, given] });
}

/** A press that is a chord or a double press once the rest is there, and is held back until then. */
function pressedOf(state: LearnedState, { command, name, given }: Gesture): Outcome {
  const isDouble = command.needs === 'double';
  const waits = state.waiting.get(name);
  const together = command.needs === 'chord' ? command.triggers.map(nameOf) : [name];
  const complete = isDouble ? waits !== undefined : together.every((t) => t === name || state.waiting.has(t));
  if (!complete) {
    const due = given.stamp + (isDouble ? TWICE : TOGETHER);
    return withWaiting(state, name, { messages: [...(waits?.messages ?? []), given], due });
  }
  const waiting = new Map(state.waiting);
  // Keys that are up again by now have no release to come.
  const still = together.filter((t) => t === name || !isUp(state.waiting.get(t)?.messages.at(-1)?.message));
  together.forEach((t) => waiting.delete(t));
  return { next: { waiting, spent: withSpent(state, still).spent }, asked: true };
}

function outcomeOf(state: LearnedState, gesture: Gesture): Outcome {
  if (gesture.command.needs === 'press') return { asked: gesture.press };
  return gesture.press ? pressedOf(state, gesture) : notPressed(state, gesture);
}

/** Sends one message of a taught trigger through its command. */
function gestureStep(state: LearnedState, command: LearnedCommand, name: string, given: Timed): LearnedStep {
  const { message } = given;
  const down = message.type === 'noteOn' || (message.type === 'control' && message.value >= 64);
  // A controller sends many values on its way down: the first one is the press.
  const press = down && (message.type === 'noteOn' || !state.pressed.has(name));
  const pressed = new Set(state.pressed);
  if (message.type === 'control' && down) pressed.add(name);
  else if (message.type === 'control') pressed.delete(name);
  const commands = !down && state.commands === name ? null : state.commands;
  const { next, through = [], asked = false } = outcomeOf(state, { command, name, given, down, press });
  const after = { ...state, pressed, commands, ...next };
  const { action } = command;
  if (!asked) return { state: after, through, actions: [] };
  if (action === COMMAND_KEY) return { state: { ...after, commands: name }, through, actions: [] };
  return { state: after, through, actions: [action] };
}

/**
 * Sends one message through a keyboard's taught actions. Taught keys are never recorded; a message that may begin a
 * gesture is held back from recording, though not from sounding.
 */
export function learnedStep(learned: readonly LearnedCommand[], before: LearnedState, given: Timed): LearnedStep {
  const { message, stamp } = given;
  const freed = letGo(before, stamp);
  const { state } = freed;
  const name = triggerOf(message);
  if (name === undefined) return { ...freed, through: [...freed.through, given] };
  const command = learned.find((l) => l.triggers.some((t) => nameOf(t) === name));
  // A key taught by one press, or the command key itself, keeps its meaning while others are commands.
  const isOwn = command !== undefined && (command.needs === 'press' || command.action === COMMAND_KEY);
  if (message.type === 'noteOn' && state.commands !== null && !isOwn) {
    const action = COMMANDS_BY_KEY.get(message.key);
    return { ...freed, state: withSpent(state, [name]), actions: action ? [action] : [] };
  }
  if (!command) {
    // Its release belongs to the command, even after the command key is up.
    if (message.type === 'noteOff' && state.spent.has(name)) return { ...freed, state: withoutSpent(state, name) };
    return { ...freed, through: [...freed.through, given] };
  }
  const step = gestureStep(state, command, name, given);
  return { ...step, through: [...freed.through, ...step.through] };
}

const withSpent = (state: LearnedState, names: readonly string[]): LearnedState => ({
  ...state,
  spent: new Set([...state.spent, ...names]),
});
const withoutSpent = (state: LearnedState, name: string): LearnedState => ({
  ...state,
  spent: new Set([...state.spent].filter((s) => s !== name)),
});

const isUp = (message: KeyMessage | undefined): boolean =>
  message?.type === 'noteOff' || (message?.type === 'control' && message.value < 64);
