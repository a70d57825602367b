import { useDropZone, useEventListener } from '@vueuse/core';
import type { Ref } from 'vue';

/** Drops that an element further in has taken. */
const taken = new WeakSet<Event>();

/** Takes files that are dropped on an element; `over` while they hang above it. The innermost of several takes them. */
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

/** Keeps the page where it is when files are dropped where nothing takes them, which a browser would open instead. */
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
