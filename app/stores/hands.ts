import { defineStore } from 'pinia';
import type { Action } from '~~/core/performance/taught';
import { recordedRange } from '~~/core/recording/settings';
import { useLookBack } from './lookback';
import { useNotices } from './notices';
import { useRoll } from './roll';
import { useSession } from './session';
import { useSong } from './song';

/** What the player asks for with one move, from a key, a button, or a pedal that was taught to. */
export const useHands = defineStore('hands', () => {
  const song = useSong();
  const session = useSession();
  const roll = useRoll();
  const lookBack = useLookBack();
  const notices = useNotices();

  /** Keeps what was just played. A phrase with nothing rolling wants a look first: how it is to be counted. */
  function keep(): void {
    lookBack.look();
    const { rolled, free } = lookBack.now;
    if (free) lookBack.opened = true;
    else if (rolled.length === 0) notices.say('Nothing was played since the last keep or pass.', 'plain');
    else if (lookBack.keepStretches(rolled, session.untilOf)) {
      notices.say(`Kept: ${rolled.reduce((n, s) => n + s.notes, 0)} notes, where they were played. Undo takes the keep back; the notes stay held.`, 'plain');
    }
  }

  /** Lets another take of the shown part be heard where the pass would record, or where the playhead is. */
  function stepTake(by: number): void {
    const part = session.shown;
    const maps = song.maps;
    if (!part || !maps || !song.document) return;
    const { brief } = song.document;
    const at = roll.tickNow();
    const range = brief.range && (brief.punchIn || brief.punchOut) ? recordedRange(brief, at, maps.end) : part.comp.find((c) => c.from <= at && c.to > at) ?? { from: 0, to: maps.end };
    const there = part.takes.filter((t) => t.from < range.to && t.to > range.from);
    const now = there.findIndex((t) => t.id === part.comp.find((c) => c.from < range.to && c.to > range.from)?.takeId);
    const take = there[now + by];
    if (!take) {
      notices.say(there.length === 0 ? `${part.name} has no take there.` : `There is no ${by > 0 ? 'later' : 'earlier'} take there.`, 'plain');
      return;
    }
    song.run({ type: 'pick take', part: part.id, take: take.id, range: { from: Math.max(range.from, take.from), to: Math.min(range.to, take.to) } });
  }

  function undo(): void {
    if (!song.undo()) notices.say('There is nothing to undo.', 'plain');
  }

  const ACTS: Readonly<Record<Action, () => void>> = {
    record: () => void session.record(),
    stop: () => { if (session.rolling) session.stop(); },
    'go again': () => void session.goAgain(),
    keep: () => { if (!session.recording) keep(); },
    undo,
    'next take': () => stepTake(1),
    'previous take': () => stepTake(-1),
  };
  const act = (action: Action): void => { if (song.document) ACTS[action](); };

  return { keep, stepTake, undo, act };
});
