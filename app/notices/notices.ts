import { defineStore } from 'pinia';
import { ref } from 'vue';

/** Something that can be done about what was said. */
export interface NoticeAction {
  readonly label: string;
  readonly run: () => void;
}

export interface Notice {
  readonly id: number;
  /** What happened, what was kept, what to do. */
  readonly text: string;
  readonly kind: 'attention' | 'plain';
  readonly action?: NoticeAction;
}

/** Words that have to be said on whatever screen is open. */
export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([]);
  let next = 1;

  function say(text: string, kind: Notice['kind'] = 'attention', action?: NoticeAction): void {
    const others = list.value.filter((n) => n.text !== text);
    list.value = [...others, { id: next++, text, kind, ...(action ? { action } : {}) }].slice(-3);
  }

  function dismiss(id: number): void {
    list.value = list.value.filter((n) => n.id !== id);
  }

  return { list, say, dismiss };
});
