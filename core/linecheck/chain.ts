import { tuningWords } from '../vocabulary/tuning';
/** Links from the keys to the ears, in order. */
export const LINKS = ['port', 'on', 'messages', 'through', 'part', 'sound', 'audio', 'level', 'backing'] as const;
export type LinkId = (typeof LINKS)[number];

/** Repair of a link, by one press. */
export type Mend =
  | 'look for keyboards'
  | 'switch it on'
  | 'play a key'
  | 'let it through'
  | 'let a part hear'
  | 'load the sounds'
  | 'start the sound'
  | 'turn it up'
  | 'let it be heard'
  | 'open a song';

export interface Link {
  readonly id: LinkId;
  readonly name: string;
  /** State of a link; `waiting` for one that only playing can show. */
  readonly state: 'whole' | 'broken' | 'waiting';
  /** Sentence about its state. */
  readonly says: string;
  readonly mend?: Mend;
}

/** Facts by which the chain is judged. */
export interface ChainFacts {
  /** Reason why there are no MIDI ports, or null. */
  readonly absence: string | null;
  /** Names of connected keyboards; the keys on screen do not count. */
  readonly ports: readonly string[];
  /**
   * Keyboards that are checked, with whether each is on: the brief's, otherwise the one played last, otherwise all; the
   * keys on screen where there is no other.
   */
  readonly meant: readonly { readonly name: string; readonly on: boolean }[];
  /** True if a checked keyboard can be played on the page. */
  readonly onScreen: boolean;
  /** Last message of a checked keyboard, with its age in seconds; null before any. */
  readonly last: { readonly port: string; readonly words: string; readonly ago: number } | null;
  /** Name of a checked keyboard that was played while switched off, after its last message got through. */
  readonly playedOff: string | null;
  /** Last message that a filter left out, after the last one that got through. */
  readonly leftOut: { readonly port: string; readonly words: string } | null;
  readonly song: boolean;
  /** Names of the armed parts. */
  readonly parts: readonly string[];
  /** True if an armed part would be heard: neither muted nor silenced by another's solo. */
  readonly partHeard: boolean;
  readonly sound: 'off' | 'loading' | 'waiting' | 'ready' | 'failed';
  readonly trouble: string;
  /** Tuning of the sounds, in cents against an A of 440 Hz. */
  readonly tuning: number;
  /** Loudest sample while a key was last down, in dBFS; null before that. */
  readonly level: number | null;
  readonly click: boolean;
  /** Number of backings, and of those that would be heard. */
  readonly backings: { readonly all: number; readonly heard: number };
}

const SILENT_DB = -60;

const list = (names: readonly string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** Links of the chain, each judged by itself, so that a later fault shows before an earlier one is repaired. */
export function chainOf(facts: ChainFacts): Link[] {
  const link = (id: LinkId, name: string, state: Link['state'], says: string, mend?: Mend): Link => ({
    id,
    name,
    state,
    says,
    ...(mend && state !== 'whole' ? { mend } : {}),
  });
  return [
    portLink(facts, link),
    onLink(facts, link),
    messagesLink(facts, link),
    throughLink(facts, link),
    partLink(facts, link),
    soundLink(facts, link),
    audioLink(facts, link),
    levelLink(facts, link),
    backingLink(facts, link),
  ];
}

type Make = (id: LinkId, name: string, state: Link['state'], says: string, mend?: Mend) => Link;

const NO_KEYBOARD = 'No keyboard is plugged in. The keys on screen and the computer’s keys play without one.';

function portLink({ ports, absence }: ChainFacts, link: Make): Link {
  if (ports.length) return link('port', 'Keyboard', 'whole', `${list(ports)}.`);
  return link('port', 'Keyboard', 'broken', absence ?? NO_KEYBOARD, 'look for keyboards');
}

function onLink({ meant, playedOff }: ChainFacts, link: Make): Link {
  const off = meant.filter((k) => !k.on).map((k) => k.name);
  if (playedOff)
    return link('on', 'Switched on', 'broken', `${playedOff} was played, and is switched off.`, 'switch it on');
  const says = `${list(off)} ${off.length === 1 ? 'is' : 'are'} switched off.`;
  return off.length
    ? link('on', 'Switched on', 'broken', says, 'switch it on')
    : link('on', 'Switched on', 'whole', `${list(meant.map((k) => k.name))}.`);
}

function messagesLink({ last, meant, onScreen }: ChainFacts, link: Make): Link {
  if (!last) {
    const of = meant.length === 1 && !onScreen ? ` of ${meant[0]!.name}` : '';
    const says = `Nothing has come yet. Hold down a key${of}.`;
    return link('messages', 'Messages', 'waiting', says, onScreen ? 'play a key' : undefined);
  }
  const when = last.ago < 1 ? '' : `, ${ago(last.ago)} ago`;
  return link('messages', 'Messages', 'whole', `${last.port}: ${last.words}${when}.`);
}

function throughLink({ last, leftOut }: ChainFacts, link: Make): Link {
  if (leftOut) {
    const says = `${leftOut.port}: ${leftOut.words} was left out by this keyboard’s settings.`;
    return link('through', 'Let through', 'broken', says, 'let it through');
  }
  return last
    ? link('through', 'Let through', 'whole', 'Everything that is played.')
    : link('through', 'Let through', 'waiting', 'Nothing has come yet.');
}

function partLink({ song, parts, partHeard }: ChainFacts, link: Make): Link {
  const broken = (says: string, mend: Mend): Link => link('part', 'Heard by', 'broken', says, mend);
  if (!song) return broken('No song is open, so no part can hear the keys.', 'open a song');
  if (parts.length === 0) return broken('No part is armed.', 'let a part hear');
  if (!partHeard) return broken(`${list(parts)} is muted, or another part is on solo.`, 'let it be heard');
  return link('part', 'Heard by', 'whole', `${list(parts)}.`);
}

function audioLink({ sound }: ChainFacts, link: Make): Link {
  if (sound === 'ready') return link('audio', 'Audio', 'whole', 'Running.');
  return sound === 'waiting'
    ? link('audio', 'Audio', 'broken', 'The browser holds the sound back until you press something.', 'start the sound')
    : link('audio', 'Audio', 'waiting', 'Not running yet.', 'start the sound');
}

const NOTHING_CAME_OUT = 'Nothing came out while a key was down: the part’s level is all the way down.';

function levelLink({ level }: ChainFacts, link: Make): Link {
  if (level === null) return link('level', 'Level', 'waiting', 'Hold down a key to see it.', 'play a key');
  if (level <= SILENT_DB) return link('level', 'Level', 'broken', NOTHING_CAME_OUT, 'turn it up');
  const says = `${Math.round(level)} dBFS at the output while you played.`.replace('-', '−');
  return link('level', 'Level', 'whole', says);
}

function soundLink({ sound, trouble, tuning }: ChainFacts, link: Make): Link {
  if (sound === 'failed')
    return link('sound', 'Sound', 'broken', trouble || 'The sounds could not be loaded.', 'load the sounds');
  return sound === 'off' || sound === 'loading'
    ? link('sound', 'Sound', 'waiting', 'The sounds are loading.')
    : link('sound', 'Sound', 'whole', tuning ? `Loaded, tuned to ${tuningWords(tuning)}.` : 'Loaded.');
}

function backingLink({ click, backings }: ChainFacts, link: Make): Link {
  const heard = [
    ...(click ? ['the click'] : []),
    ...(backings.heard ? [backings.heard === 1 ? 'one backing' : `${backings.heard} backings`] : []),
  ];
  if (heard.length === 0)
    return link(
      'backing',
      'To play to',
      'broken',
      backings.all ? 'The click is off, and no backing can be heard.' : 'The click is off, and there is no backing.',
      'let it be heard',
    );
  const silent = backings.all - backings.heard;
  return link(
    'backing',
    'To play to',
    'whole',
    `${list(heard)}${silent ? `; ${silent === 1 ? 'one backing is' : `${silent} backings are`} muted` : ''}.`
      .replace(/^t/, 'T')
      .replace(/^o/, 'O'),
  );
}

const ago = (seconds: number): string =>
  seconds < 60 ? `${Math.round(seconds)} s` : `${Math.round(seconds / 60)} min`;

/** First link with a fault; failed ones come before those that wait for playing. */
export const firstTrouble = (chain: readonly Link[]): Link | undefined =>
  chain.find((l) => l.state === 'broken') ?? chain.find((l) => l.state === 'waiting');

/** Short sentence for the brief before the first pass of a visit. What only playing can show is no fault yet. */
export function readySummary(chain: readonly Link[]): { readonly good: boolean; readonly text: string } {
  const [port, ...rest] = chain;
  const broken = rest.find((l) => l.state === 'broken');
  if (broken) return { good: false, text: broken.says };
  return port!.state === 'broken' ? { good: false, text: port!.says } : { good: true, text: 'All links good.' };
}

/** Labels of the repair buttons. */
export const MEND_WORDS: Readonly<Record<Mend, string>> = {
  'look for keyboards': 'Look again',
  'switch it on': 'Switch it on',
  'play a key': 'Play one',
  'let it through': 'Let it through',
  'let a part hear': 'Arm one',
  'load the sounds': 'Load again',
  'start the sound': 'Start it',
  'turn it up': 'Turn it up',
  'let it be heard': 'Let it sound',
  'open a song': 'To the Desk',
};
