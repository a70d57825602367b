import { many } from '~~/core/vocabulary/many';
import { defineStore } from 'pinia';
import { computed } from 'vue';
import type { Mark } from '~~/core/document/take';
import type { Passage } from '~~/core/lookback/buffer';
import { anyKeyDown } from '~~/core/lookback/taken';
import type { Milliseconds } from '~~/core/time/units';
import type { Action } from '~~/core/performance/learned';
import { takeBeside } from '~~/core/song/takes';
import { useLookBack } from '~/look-back/lookback';
import { useNotices } from '~/notices/notices';
import { useComp } from '~/song/comp';
import { useReading } from '~/song/reading';
import { useSong } from '~/song/song';
import { usePass } from './pass';
import { useRoll } from './roll';
import { useSession } from './session';

/** How long a keep waits for keys that are down to be let go, and how often it looks. */
const RINGS_AT_MOST: Milliseconds = 8000;
const LOOK_EVERY: Milliseconds = 30;

/** Takes that were recorded before this are another visit's. */
const openedAt = new Date().toISOString();

/** What the player asks for with one move, from a key, a button, or a pedal that was taught to. */
export const useHands = defineStore('hands', () => {
  const song = useSong();
  const reading = useReading();
  const session = useSession();
  const pass = usePass();
  const roll = useRoll();
  const lookBack = useLookBack();
  const notices = useNotices();
  const comp = useComp();

  /** What a keep that was asked for waits for: keys that were down then, and until when. */
  let waiting: { readonly rolled: readonly Passage[]; readonly until: Milliseconds } | null = null;

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
    const { rolled, until } = waiting;
    if (anyKeyDown(lookBack.withReleases(rolled)) && pass.rolling && performance.now() < until) {
      setTimeout(keepWhenReleased, LOOK_EVERY);
      return;
    }
    waiting = null;
    if (!song.document || !lookBack.keepPassages(rolled, session.untilOf)) return;
    const notes = rolled.reduce((n, s) => n + s.notes, 0);
    notices.say(
      `Kept: ${many(notes, 'note')}, where played. Undo takes the keep back; what was played stays held.`,
      'plain',
    );
  }

  /** Lets another take of the shown part be heard where the pass would record, or where the playhead is. */
  function stepTake(by: number): void {
    const part = reading.shown;
    const { maps } = reading;
    if (!part || !maps || !song.document) return;
    const found = takeBeside(part, song.document.brief, roll.tickNow(), maps.end, by);
    if (found === 'none') notices.say(`${part.name} has no take there.`, 'plain');
    else if (found === 'last') notices.say(`There is no ${by > 0 ? 'later' : 'earlier'} take there.`, 'plain');
    else comp.pickTakes(part, [{ ...found.range, takeId: found.take.id, by: 'hand' }]);
  }

  function undo(): void {
    if (!song.undo()) notices.say('There is nothing to undo.', 'plain');
  }

  /** The take that was recorded last since the page was opened, whatever its part. */
  const latest = computed(() => {
    const all = song.document?.parts.flatMap((part) => part.takes.map((take) => ({ part, take }))) ?? [];
    const recent = all.filter(({ take }) => take.at >= openedAt);
    return recent.reduce<(typeof all)[number] | null>(
      (last, one) => (last && last.take.at > one.take.at ? last : one),
      null,
    );
  });
  /** Marks that take; the mark that it has is taken off again. */
  function mark(as: Mark): void {
    const found = latest.value;
    if (!found) {
      notices.say('No take was recorded since the song was opened. Takes have their marks on Pick.', 'plain');
      return;
    }
    const { part, take } = found;
    song.run({ type: 'set take', part: part.id, take: take.id, to: { mark: take.mark === as ? null : as } });
  }

  const ACTS: Readonly<Record<Action, () => void>> = {
    record: () => void session.record(),
    stop: () => {
      if (pass.rolling) session.stop();
    },
    'go again': () => void session.goAgain(),
    keep: () => {
      if (!pass.recording) keep();
    },
    undo,
    'next take': () => stepTake(1),
    'previous take': () => stepTake(-1),
    'mark good': () => mark('good'),
    'mark maybe': () => mark('maybe'),
    'mark no': () => mark('no'),
  };
  const act = (action: Action): void => {
    if (song.document) ACTS[action]();
  };

  return { keep, stepTake, undo, act, latest, mark };
});
