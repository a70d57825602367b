import { ref } from 'vue';

/** Takes files that are dropped on an element: bind `on` with v-on, and show `over` while they hang above it. */
export function useFileDrop(taken: (files: File[]) => void) {
  const over = ref(false);
  const hasFiles = (event: DragEvent): boolean => event.dataTransfer?.types.includes('Files') ?? false;
  return {
    over,
    on: {
      dragover(event: DragEvent): void {
        if (!hasFiles(event)) return;
        event.preventDefault();
        over.value = true;
      },
      dragleave(event: DragEvent): void {
        if (!(event.currentTarget as HTMLElement).contains(event.relatedTarget as Node | null)) over.value = false;
      },
      drop(event: DragEvent): void {
        over.value = false;
        if (!hasFiles(event) || event.defaultPrevented) return;
        event.preventDefault();
        taken([...event.dataTransfer!.files]);
      },
    },
  };
}
