/** The links from the keys to the ears, in their order. */
export const LINKS = ['port', 'on', 'messages', 'through', 'part', 'sound', 'audio', 'level', 'backing'] as const;
export type LinkId = (typeof LINKS)[number];

/** What mends a link: each is one press. */
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
  /** `waiting` is for what only playing can show. */
  readonly state: 'whole' | 'broken' | 'waiting';
  /** What it is now, in a sentence. */
  readonly says: string;
  readonly mend?: Mend;
}

/** Everything the chain is judged by. */
export interface ChainFacts {
  /** Why there are no MIDI ports, in words, or null. */
  readonly absence: string | null;
  /** Names of the ports that are there: every kind but the keys on screen, which are always. */
  readonly ports: readonly string[];
  /** Names of those that are on, the keys on screen among them. */
  readonly on: readonly string[];
  /** What came last, and how long ago in seconds; null when nothing has come yet. */
  readonly last: { readonly port: string; readonly words: string; readonly ago: number } | null;
  /** What the filter left out last, if that came after anything went through. */
  readonly leftOut: { readonly port: string; readonly words: string } | null;
  readonly song: boolean;
  /** Names of the parts that hear the keys. */
  readonly parts: readonly string[];
  /** Whether the part that hears the keys would be heard: neither muted nor left out by another's solo. */
  readonly partHeard: boolean;
  readonly sound: 'off' | 'loading' | 'waiting' | 'ready' | 'failed';
  readonly trouble: string;
  /** Loudest sample sent out while a key was last down, in dBFS; null before that. */
  readonly level: number | null;
  readonly click: boolean;
  /** Of the backings, how many there are and how many would be heard. */
  readonly backings: { readonly all: number; readonly heard: number };
}

const SILENT_DB = -60;

const list = (names: readonly string[]): string =>
  names.length < 2 ? names.join('') : `${names.slice(0, -1).join(', ')} and ${names.at(-1)}`;

/** The chain, each link by itself: what is broken further down is seen before what is above it is mended. */
export function chainOf(facts: ChainFacts): Link[] {
  const { last, leftOut } = facts;
  const link = (id: LinkId, name: string, state: Link['state'], says: string, mend?: Mend): Link => ({
    id,
    name,
    state,
    says,
    ...(mend && state !== 'whole' ? { mend } : {}),
  });
  return [
    facts.ports.length
      ? link('port', 'Keyboard', 'whole', `${list(facts.ports)}.`)
      : link(
          'port',
          'Keyboard',
          'broken',
          facts.absence ?? 'No keyboard is plugged in. The keys on screen and the computer’s keys play without one.',
          'look for keyboards',
        ),
    facts.on.length
      ? link('on', 'Switched on', 'whole', `${list(facts.on)}.`)
      : link('on', 'Switched on', 'broken', 'Every keyboard is switched off.', 'switch it on'),
    last
      ? link(
          'messages',
          'Messages',
          'whole',
          `${last.port}: ${last.words}${last.ago < 1 ? '' : `, ${ago(last.ago)} ago`}.`,
        )
      : link('messages', 'Messages', 'waiting', 'Nothing has come yet. Hold down a key.', 'play a key'),
    leftOut
      ? link(
          'through',
          'Let through',
          'broken',
          `${leftOut.port}: ${leftOut.words} was left out by this keyboard’s settings.`,
          'let it through',
        )
      : link(
          'through',
          'Let through',
          last ? 'whole' : 'waiting',
          last ? 'Everything that is played.' : 'Nothing has come yet.',
        ),
    !facts.song
      ? link('part', 'Heard by', 'broken', 'No song is open, so no part can hear the keys.', 'open a song')
      : facts.parts.length === 0
        ? link('part', 'Heard by', 'broken', 'No part hears the keys.', 'let a part hear')
        : facts.partHeard
          ? link('part', 'Heard by', 'whole', `${list(facts.parts)}.`)
          : link(
              'part',
              'Heard by',
              'broken',
              `${list(facts.parts)} is muted, or another part is on solo.`,
              'let it be heard',
            ),
    soundLink(facts, link),
    facts.sound === 'ready'
      ? link('audio', 'Audio', 'whole', 'Running.')
      : link(
          'audio',
          'Audio',
          facts.sound === 'waiting' ? 'broken' : 'waiting',
          facts.sound === 'waiting'
            ? 'The browser holds the sound back until you press something.'
            : 'Not running yet.',
          'start the sound',
        ),
    facts.level === null
      ? link('level', 'Level', 'waiting', 'Hold down a key to see it.', 'play a key')
      : facts.level > SILENT_DB
        ? link(
            'level',
            'Level',
            'whole',
            `${Math.round(facts.level)} dBFS at the output while you played.`.replace('-', '−'),
          )
        : link(
            'level',
            'Level',
            'broken',
            'Nothing came out while a key was down: the part’s level is all the way down.',
            'turn it up',
          ),
    backingLink(facts, link),
  ];
}

type Make = (id: LinkId, name: string, state: Link['state'], says: string, mend?: Mend) => Link;

function soundLink({ sound, trouble }: ChainFacts, link: Make): Link {
  if (sound === 'failed')
    return link('sound', 'Sound', 'broken', trouble || 'The sounds could not be loaded.', 'load the sounds');
  return sound === 'off' || sound === 'loading'
    ? link('sound', 'Sound', 'waiting', 'The sounds are loading.')
    : link('sound', 'Sound', 'whole', 'Loaded.');
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

/** The first link that wants mending: broken ones come before what only waits to be played. */
export const firstTrouble = (chain: readonly Link[]): Link | undefined =>
  chain.find((l) => l.state === 'broken') ?? chain.find((l) => l.state === 'waiting');

/** For the brief, before the first pass of a visit: short, and true. What only playing can show is no trouble yet. */
export function readyLine(chain: readonly Link[]): { readonly good: boolean; readonly text: string } {
  const broken = chain.find(
    (l) => l.state === 'broken' && (l.id !== 'port' || chain.find((k) => k.id === 'on')!.state === 'broken'),
  );
  return broken ? { good: false, text: broken.says } : { good: true, text: 'All links good.' };
}
