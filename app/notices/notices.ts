import { defineStore } from 'pinia';
import { ref } from 'vue';

/** Something that can be done about what was said. */
export interface NoticeAction {
  readonly label: string;
  readonly run: () => void;
}

export interface Notice {
  readonly id: number;
  /** Words: what happened, what was kept, what to do. */
  readonly text: string;
  readonly kind: 'attention' | 'plain';
  readonly action?: NoticeAction;
  /** Subject: a later word on the same takes its place. */
  readonly about?: string;
}

/** Words that have to be said on whatever screen is open. */
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

  /** Takes back the words about something. */
  function unsay(about: string): void {
    list.value = list.value.filter((n) => n.about !== about);
  }

  function dismiss(id: number): void {
    list.value = list.value.filter((n) => n.id !== id);
  }

  return { list, say, unsay, dismiss };
});
