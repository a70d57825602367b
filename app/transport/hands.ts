import { defineStore } from 'pinia';
import { keysDown, type Stretch } from '~~/core/lookback/buffer';
import type { Milliseconds } from '~~/core/time/units';
import type { Action } from '~~/core/performance/taught';
import { recordedRange } from '~~/core/recording/settings';
import { useLookBack } from '~/look-back/lookback';
import { useNotices } from '~/notices/notices';
import { useRoll } from './roll';
import { useSession } from './session';
import { useSong } from '~/song/song';

/** How long a keep waits for keys that are down to be let go, and how often it looks. */
const RINGS_AT_MOST: Milliseconds = 8000;
const LOOK_EVERY: Milliseconds = 30;

/** What the player asks for with one move, from a key, a button, or a pedal that was taught to. */
export const useHands = defineStore('hands', () => {
  const song = useSong();
  const session = useSession();
  const roll = useRoll();
  const lookBack = useLookBack();
  const notices = useNotices();

  /** What a keep that was asked for waits for: keys that were down then, and until when. */
  let waiting: { readonly rolled: readonly Stretch[]; readonly until: Milliseconds } | null = null;

  /** Keeps what was just played. A phrase with nothing rolling wants a look first: how it is to be counted. */
  function keep(): void {
    if (waiting) return;
    lookBack.look();
    const { rolled, free } = lookBack.now;
    if (free) lookBack.opened = true;
    else if (rolled.length === 0) notices.say('Nothing was played since the last keep or pass.', 'plain');
    else {
      waiting = { rolled, until: performance.now() + RINGS_AT_MOST };
      keepWhenReleased();
    }
  }

  /** What is held at a keep rings on to its release, if that comes while it rolls. */
  function keepWhenReleased(): void {
    if (!waiting) return;
    const { rolled } = waiting;
    if (
      keysDown(lookBack.withReleases(rolled).at(-1)!.events).size > 0 &&
      session.rolling &&
      performance.now() < waiting.until
    ) {
      setTimeout(keepWhenReleased, LOOK_EVERY);
      return;
    }
    waiting = null;
    if (song.document && lookBack.keepStretches(rolled, session.untilOf)) {
      notices.say(
        `Kept: ${rolled.reduce((n, s) => n + s.notes, 0)} notes, where they were played. Undo takes the keep back; the notes stay held.`,
        'plain',
      );
    }
  }

  /** Lets another take of the shown part be heard where the pass would record, or where the playhead is. */
  function stepTake(by: number): void {
    const part = session.shown;
    const maps = song.maps;
    if (!part || !maps || !song.document) return;
    const { brief } = song.document;
    const at = roll.tickNow();
    const range =
      brief.range && (brief.punchIn || brief.punchOut)
        ? recordedRange(brief, at, maps.end)
        : (part.comp.find((c) => c.from <= at && c.to > at) ?? { from: 0, to: maps.end });
    const there = part.takes.filter((t) => t.from < range.to && t.to > range.from);
    const now = there.findIndex((t) => t.id === part.comp.find((c) => c.from < range.to && c.to > range.from)?.takeId);
    const take = there[now + by];
    if (!take) {
      notices.say(
        there.length === 0
          ? `${part.name} has no take there.`
          : `There is no ${by > 0 ? 'later' : 'earlier'} take there.`,
        'plain',
      );
      return;
    }
    song.run({
      type: 'pick take',
      part: part.id,
      take: take.id,
      range: { from: Math.max(range.from, take.from), to: Math.min(range.to, take.to) },
    });
  }

  function undo(): void {
    if (!song.undo()) notices.say('There is nothing to undo.', 'plain');
  }

  const ACTS: Readonly<Record<Action, () => void>> = {
    record: () => void session.record(),
    stop: () => {
      if (session.rolling) session.stop();
    },
    'go again': () => void session.goAgain(),
    keep: () => {
      if (!session.recording) keep();
    },
    undo,
    'next take': () => stepTake(1),
    'previous take': () => stepTake(-1),
  };
  const act = (action: Action): void => {
    if (song.document) ACTS[action]();
  };

  return { keep, stepTake, undo, act };
});
