import { BankFile } from '~~/engine/banks/bankFile';
import type { FromBank, ToBank } from '~~/engine/worklet/messages';
import { fetchedBytes } from '~~/engine/fetchedBytes';
import type { Seconds } from '~~/core/time/units';
import { STARTED } from '~/workers/startedMessage';

/** Request to read a bank, with the port of the synthesizer. */
export interface BankOrder {
  readonly address: string;
  readonly to: MessagePort;
}
/** Message to the page: the share that has been read, 0 to 1, or the reason of a failure. */
export type BankWord = { readonly share: number } | { readonly trouble: string };

/** Length of a sample's beginning, which is sent first while the rest is decoded. */
const HEAD: Seconds = 0.3;
const RATE = 48_000;
/** Number of beginnings in one message. */
const HEADS = 12;

const moved = (sounds: readonly { readonly sound: Float32Array }[]) => sounds.map(({ sound }) => sound.buffer);

const tell = (word: BankWord): void => self.postMessage(word);

async function serve({ address, to }: BankOrder): Promise<void> {
  const response = await fetch(address);
  if (!response.ok)
    throw new Error(response.status === 404 ? 'Its bank is not here.' : 'The server could not send it.');
  const bytes = await fetchedBytes(response, (share) => tell({ share }));
  const file = await BankFile.read(new Uint8Array(bytes));
  const say = (message: FromBank, buffers: Transferable[] = []): void => to.postMessage(message, buffers);
  to.onmessage = ({ data }: MessageEvent<ToBank>) => {
    const sounds = file.sounds(data);
    say({ type: 'sounds', sounds }, moved(sounds));
  };
  const parts = file.parts();
  say({ type: 'parts', parts }, [parts.outline]);
  // Samples are read from the middle outwards, as a bank has them from low or soft to high or loud.
  const order = Array.from({ length: file.count }, (_, i) => i).sort(
    (a, b) => Math.abs(a - file.count / 2) - Math.abs(b - file.count / 2),
  );
  for (let at = 0; at < order.length; at += HEADS) {
    const sounds = file.sounds(order.slice(at, at + HEADS), HEAD * RATE);
    say({ type: 'heads', sounds }, moved(sounds));
    // Samples that a note needs are read before the next ones.
    await new Promise((next) => setTimeout(next));
  }
}

self.onmessage = ({ data }: MessageEvent<BankOrder>) => {
  serve(data).catch((error: unknown) => {
    tell({ trouble: error instanceof Error ? error.message : String(error) });
  });
};
self.postMessage(STARTED);
