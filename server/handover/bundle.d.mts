export function bundleSoundWorker(outfile: string): Promise<unknown>;
