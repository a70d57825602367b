import { useEventListener } from '@vueuse/core';
import { computed, onScopeDispose, shallowRef, watch, type ComputedRef } from 'vue';
import { useStandFacts, type StandFacts } from './standFacts';

const CHANNEL = 'tall-kettle stand';
const PATH = '/stand';
/** Message between windows: facts to show, their end, or a request for them. */
type Word = { readonly from: string; readonly facts: StandFacts | null } | 'who';

function useChannel(hear: (word: Word) => void): { readonly say: (word: Word) => void } {
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = ({ data }: MessageEvent<Word>) => hear(data);
  onScopeDispose(() => channel.close());
  return { say: (word) => channel.postMessage(word) };
}

/** Sends the stand's facts to stands in other windows for as long as the component lives. */
export function useStandSender(): void {
  const stand = useStandFacts();
  const own = crypto.randomUUID();
  const { say } = useChannel((word) => {
    if (word === 'who') tell();
  });
  const tell = (): void => say({ from: own, facts: stand.now });
  watch(() => stand.now, tell);
  useEventListener('pagehide', () => say({ from: own, facts: null }));
}

/** Opens a stand in another window, for a second screen. */
export const openStandWindow = (): void => void window.open(PATH, 'tall-kettle-stand', 'popup,width=1280,height=800');

/** Facts from other windows, the latest first; null while there are none. */
export function useStandReceiver(): ComputedRef<StandFacts | null> {
  const shown = shallowRef<{ readonly from: string; readonly facts: StandFacts } | null>(null);
  const { say } = useChannel((word) => {
    if (word === 'who') return;
    if (word.facts) shown.value = { from: word.from, facts: word.facts };
    else if (word.from === shown.value?.from) shown.value = null;
  });
  say('who');
  return computed(() => shown.value?.facts ?? null);
}
