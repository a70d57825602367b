import type { Note } from '~~/core/performance/notes';
import type { Part } from '~~/core/document/part';
import type { SongDocument } from '~~/core/document/document';
import type { SongMaps } from '~~/core/document/maps';
import { decidedOf, untreatedLine, type TakeReader } from '~~/core/reading/reading';
import type { Treatment } from '~~/core/timing/treatments';
import { readLines } from '~~/core/timing/lineColumns';
import { isLinedUp, lineUpAs, type Decided } from '~~/core/timing/unitLines';
import { columnsOf } from '~~/core/timing/noteColumns';
import { recipeOf } from '~~/core/timing/recipe';
import { notesOfEach } from '~~/core/timing/treatment';
import { asker } from '~/workers/workerQuestions';
import LinesWorker from './lines.worker.ts?worker';
import type { LinesAsked, LinesFound } from './lines.worker';

/** Number of notes up to which grid lines are found within a frame, on the page. */
const MANY = 1500;

/** Call to the worker; the page finds the lines itself where there is none. */
const ask = asker<Omit<LinesAsked, 'id'>, LinesFound>(() => new LinesWorker());

/** Searches under way, so that the same lines are not asked for twice. */
const underWay = new WeakMap<readonly Note[], Map<string, Promise<void>>>();

function findOnce(...asked: Parameters<typeof find>): Promise<void> {
  const [notes, treatment, { tempo, meter }, , decided] = asked;
  const key = JSON.stringify([{ ...recipeOf(treatment) }, treatment.from, treatment.to, tempo, meter, [...decided]]);
  const own = underWay.get(notes) ?? new Map<string, Promise<void>>();
  underWay.set(notes, own);
  const there = own.get(key);
  if (there) return there;
  const finding = find(...asked).finally(() => own.delete(key));
  own.set(key, finding);
  return finding;
}

async function find(
  notes: readonly Note[],
  treatment: Treatment,
  song: Pick<SongDocument, 'tempo' | 'meter'>,
  maps: SongMaps,
  decided: Decided,
): Promise<void> {
  const found = await ask({
    ...columnsOf(notes, song, decided),
    recipe: { ...recipeOf(treatment) },
    range: { from: treatment.from, to: treatment.to },
  });
  if (found) lineUpAs(readLines(found, notes), notes, treatment, maps, treatment, decided);
}

/**
 * Finds the grid lines that treatments of a part need, in a worker where it takes long.
 * @returns null where nothing has to be waited for
 */
export function findLines(
  part: Part,
  read: TakeReader,
  treatments: readonly Treatment[],
  song: Pick<SongDocument, 'tempo' | 'meter'>,
  maps: SongMaps,
): Promise<void> | null {
  const decided = decidedOf(part);
  const all = notesOfEach(untreatedLine(part, read).notes, treatments).filter(
    ([t, notes]) => notes.length >= MANY && t.lines === 'phrase' && !isLinedUp(notes, t, maps, t, decided),
  );
  if (all.length === 0) return null;
  return Promise.all(all.map(([t, notes]) => findOnce(notes, t, song, maps, decided))).then(() => undefined);
}
