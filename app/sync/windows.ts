/**
 * Channel from this window to the other windows of the browser.
 * @param heard called with their messages
 * @returns a function that sends one
 */
export function toOthers<Word>(name: string, heard: (word: Word) => void): (word: Word) => void {
  // Outside a browser, as in tests, there is no other window.
  if (!('WorkerGlobalScope' in globalThis) && !('window' in globalThis)) return () => {};
  const channel = new BroadcastChannel(name);
  channel.onmessage = ({ data }: MessageEvent<Word>) => heard(data);
  return (word) => channel.postMessage(word);
}
