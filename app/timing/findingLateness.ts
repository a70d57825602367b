import type { SongDocument } from '~~/core/document/document';
import type { SongMaps } from '~~/core/document/maps';
import { lateAsPlayed, type HeldAgainst, type LateAsPlayed } from '~~/core/timing/lateness';
import type { Decided } from '~~/core/timing/unitLines';
import { columnsOf } from '~~/core/timing/noteColumns';
import { asker } from '~/workers/workerQuestions';
import LatenessWorker from './lateness.worker.ts?worker';
import type { LatenessAsked, LatenessFound } from './lateness.worker';

/** Number of notes up to which lateness is computed within a frame, on the page. */
const MANY = 1500;
const ask = asker<Omit<LatenessAsked, 'id'>, LatenessFound>(() => new LatenessWorker());

/** Computes how late notes are, in a worker where that takes long. */
export async function findLateness(
  groups: readonly HeldAgainst[],
  song: Pick<SongDocument, 'tempo' | 'meter'>,
  maps: SongMaps,
  decided: Decided,
): Promise<readonly LateAsPlayed[]> {
  const notes = groups.flatMap((g) => g.notes);
  if (notes.length < MANY) return lateAsPlayed(groups, maps, decided);
  const found = await ask({
    ...columnsOf(notes, song, decided),
    groups: groups.map(({ notes: { length: count }, recipe, over: { from, to } }) => ({
      ...{ count, recipe: { ...recipe }, over: { from, to } },
    })),
  });
  if (!found) return lateAsPlayed(groups, maps, decided);
  return Array.from(found.notes, (at, i): LateAsPlayed => {
    const note = notes[at]!;
    return {
      ...{ note, line: found.lines[i]!, inBar: found.inBars[i]!, velocity: note.velocity },
      ...{ ms: found.ms[i]!, drift: found.drift[i]! },
    };
  });
}
