export const THREADS: Readonly<Record<'sound.worker.mjs' | 'archive.worker.mjs', string>>;
export function bundleThread(name: string, outfile: string): Promise<unknown>;
