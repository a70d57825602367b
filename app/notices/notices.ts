import { defineStore } from 'pinia';
import { ref } from 'vue';

/** Command offered in a notice. */
export interface NoticeAction {
  readonly label: string;
  readonly run: () => void;
}

export interface Notice {
  readonly id: number;
  /** Text: what happened, what was kept, what to do. */
  readonly text: string;
  readonly kind: 'attention' | 'plain';
  readonly action?: NoticeAction;
  /** Subject. A later notice on the same subject replaces this one. */
  readonly about?: string;
}

/** Notices, shown at every station. */
export const useNotices = defineStore('notices', () => {
  const list = ref<Notice[]>([]);
  let next = 1;

  function say(
    text: string,
    kind: Notice['kind'] = 'attention',
    more: { readonly action?: NoticeAction; readonly about?: string } = {},
  ): void {
    const others = list.value.filter((n) => n.text !== text && (more.about === undefined || n.about !== more.about));
    list.value = [...others, { id: next++, text, kind, ...more }].slice(-3);
  }

  /** Removes the notice on a subject. */
  function unsay(about: string): void {
    list.value = list.value.filter((n) => n.about !== about);
  }

  function dismiss(id: number): void {
    list.value = list.value.filter((n) => n.id !== id);
  }

  return { list, say, unsay, dismiss };
});
