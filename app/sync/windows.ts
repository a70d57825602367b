/**
 * Words from one window of the browser to the others.
 * @param heard what another window says
 * @returns what says a word to them
 */
export function toOthers<Word>(name: string, heard: (word: Word) => void): (word: Word) => void {
  // Beside a browser there is nobody to tell.
  if (!('WorkerGlobalScope' in globalThis) && !('window' in globalThis)) return () => {};
  const channel = new BroadcastChannel(name);
  channel.onmessage = ({ data }: MessageEvent<Word>) => heard(data);
  return (word) => channel.postMessage(word);
}
