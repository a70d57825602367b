import { useDropZone, useEventListener } from '@vueuse/core';
import type { Ref } from 'vue';

/** Drop events that an inner element has handled. */
const taken = new WeakSet<Event>();

/**
 * Handles files dropped on an element; `over` is true while they hover. The innermost of several elements handles them.
 */
export function useFileDrop(element: Ref<HTMLElement | null>, take: (files: File[]) => void): { over: Ref<boolean> } {
  const { isOverDropZone } = useDropZone(element, {
    multiple: true,
    checkValidity: (items) => [...items].some((item) => item.kind === 'file'),
    onDrop(files, event) {
      if (!files?.length || taken.has(event)) return;
      taken.add(event);
      take(files);
    },
  });
  return { over: isOverDropZone };
}

const brings = ({ dataTransfer }: DragEvent): boolean => dataTransfer?.types.includes('Files') ?? false;

/** Prevents the browser from opening files that are dropped where nothing handles them. */
export function useStrayDrops(stray: () => void): void {
  useEventListener('dragover', (event) => {
    if (brings(event)) event.preventDefault();
  });
  useEventListener('drop', (event) => {
    if (!brings(event)) return;
    event.preventDefault();
    if (!taken.has(event)) stray();
  });
}
