/**
 * Asks a worker one thing at a time or several: each answer goes to who asked for it.
 * @param make starts the worker; it is started when it is first asked
 * @returns what asks; its answer is null where the worker cannot run, and the page has to do without
 */
export function asker<Asked extends object, Found extends { readonly id: number }>(
  make: () => Worker,
): (message: Asked) => Promise<Found | null> {
  let worker: Worker | null = null;
  let asked = 0;
  const waiting = new Map<number, (found: Found | null) => void>();
  return (message) => {
    if (!worker) {
      worker = make();
      worker.onmessage = ({ data }: MessageEvent<Found>) => {
        waiting.get(data.id)?.(data);
        waiting.delete(data.id);
      };
      worker.onerror = () => {
        worker = null;
        for (const done of waiting.values()) done(null);
        waiting.clear();
      };
    }
    asked += 1;
    const id = asked;
    return new Promise((done) => {
      waiting.set(id, done);
      worker!.postMessage({ ...message, id });
    });
  };
}
