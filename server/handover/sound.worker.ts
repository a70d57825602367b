/** Thread that renders sound, one task at a time. */
import { parentPort, workerData } from 'node:worker_threads';
import { mixTo } from './recorded';
import { bounceTo, convertBank, finishFile } from './soundFile';
import { sumOf } from './sum';
import type { FromWorker, SoundTask, WorkerFacts } from './task';

const { banks } = workerData as WorkerFacts;
const say = (word: FromWorker): void => parentPort!.postMessage(word);

async function carryOut(task: SoundTask): Promise<FromWorker> {
  if (task.type === 'bounce') {
    const result = await bounceTo(banks, task, (frames) => say({ type: 'frames', frames }));
    return { type: 'done', result };
  }
  if (task.type === 'recorded') {
    const result = await mixTo(task, (frames) => say({ type: 'frames', frames }));
    return { type: 'done', result };
  }
  if (task.type === 'bank') {
    convertBank(task);
    return { type: 'done', result: null };
  }
  if (task.type === 'sum') return { type: 'done', result: sumOf(task) };
  await finishFile(task);
  return { type: 'done', result: null };
}

parentPort!.on('message', (task: SoundTask) => {
  carryOut(task).then(say, (error: NodeJS.ErrnoException) =>
    say({ type: 'failed', message: error.message, code: error.code }),
  );
});
