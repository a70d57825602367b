import { defineStore } from 'pinia';
import { ref } from 'vue';

export interface Notice {
  readonly id: number;
  /** What happened, what was kept, what to do. */
  readonly text: string;
  readonly kind: 'attention' | 'plain';
}

/** Words that have to be said on whatever screen is open. */
export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([]);
  let next = 1;

  function say(text: string, kind: Notice['kind'] = 'attention'): void {
    if (list.value.some((n) => n.text === text)) return;
    list.value = [...list.value, { id: next++, text, kind }].slice(-3);
  }

  function dismiss(id: number): void {
    list.value = list.value.filter((n) => n.id !== id);
  }

  return { list, say, dismiss };
});
