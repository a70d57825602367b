import type { Seconds } from '../../core/time/units';

/** Error of an input that could not be opened or went away. Its message is for the screen. */
export class InputFailed extends Error {}

/** Audio input of the system. */
export interface FoundInput {
  readonly device: string;
  readonly name: string;
}

const NOT_ALLOWED =
  'The browser was not allowed to use the microphone. Allow it in the site’s settings beside the ' +
  'address, then try again.';
const WORDS: Readonly<Record<string, string>> = {
  NotAllowedError: NOT_ALLOWED,
  SecurityError: NOT_ALLOWED,
  NotFoundError: 'No microphone or line input was found. Plug one in, then try again.',
  OverconstrainedError: 'That input is away. Plug it in, or choose another.',
  NotReadableError: 'Another program holds the input for itself. Close it, then try again.',
};

/**
 * Opens an input without the browser's processing for speech.
 * @param device id; the system's default where undefined
 * @throws InputFailed
 */
export async function openInput(device?: string, channels = 1): Promise<MediaStream> {
  const plain = { echoCancellation: false, noiseSuppression: false, autoGainControl: false };
  const which = device === undefined ? {} : { deviceId: { exact: device } };
  try {
    return await navigator.mediaDevices.getUserMedia({
      audio: { ...plain, ...which, channelCount: { ideal: channels } },
    });
  } catch (error) {
    const name = error instanceof DOMException ? error.name : '';
    throw new InputFailed(WORDS[name] ?? 'The input could not be opened.', { cause: error });
  }
}

/** Input latency that the system reports for an open input, 0 where it reports none. */
export const inputLatencyOf = (stream: MediaStream): Seconds =>
  (stream.getAudioTracks()[0]?.getSettings() as { latency?: number } | undefined)?.latency ?? 0;

/**
 * Lists the audio inputs. Browsers give names only with permission.
 * @param asks true to ask for permission
 * @throws InputFailed where it is refused
 */
export async function findInputs(asks: boolean): Promise<FoundInput[]> {
  const list = async (): Promise<MediaDeviceInfo[]> =>
    ((await navigator.mediaDevices?.enumerateDevices()) ?? []).filter((d) => d.kind === 'audioinput');
  let all = await list();
  if (asks && (all.length === 0 || all.some((d) => d.label === ''))) {
    (await openInput()).getTracks().forEach((track) => track.stop());
    all = await list();
  }
  return all.filter((d) => d.label !== '').map((d) => ({ device: d.deviceId, name: d.label }));
}
