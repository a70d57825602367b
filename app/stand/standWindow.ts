import { useEventListener } from '@vueuse/core';
import { computed, onScopeDispose, shallowRef, watch, type ComputedRef } from 'vue';
import { useStandFacts, type StandFacts } from './standFacts';

const CHANNEL = 'tall-kettle stand';
const PATH = '/stand';
/** Message between windows: what one has to show, that it has nothing any more, or a question for it. */
type Word = { readonly from: string; readonly facts: StandFacts | null } | 'who';

function useChannel(hear: (word: Word) => void): { readonly say: (word: Word) => void } {
  const channel = new BroadcastChannel(CHANNEL);
  channel.onmessage = ({ data }: MessageEvent<Word>) => hear(data);
  onScopeDispose(() => channel.close());
  return { say: (word) => channel.postMessage(word) };
}

/** Tells stands in windows of their own what to show, for as long as the caller is there. */
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

/** Opens a stand in a window of its own, for a second screen. */
export const openStandWindow = (): void => void window.open(PATH, 'tall-kettle-stand', 'popup,width=1280,height=800');

/** Facts that another window has to show: of several, the one that spoke last. Null while there is none. */
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
