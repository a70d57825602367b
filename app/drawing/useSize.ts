import { onBeforeUnmount, onMounted, ref, type Ref } from 'vue';

/** An element's inner size in pixels, kept up to date. */
export function useSize(element: Ref<HTMLElement | null>): { width: Ref<number>; height: Ref<number> } {
  const width = ref(0);
  const height = ref(0);
  const observer = new ResizeObserver(([entry]) => {
    width.value = Math.floor(entry!.contentRect.width);
    height.value = Math.floor(entry!.contentRect.height);
  });
  onMounted(() => observer.observe(element.value!));
  onBeforeUnmount(() => observer.disconnect());
  return { width, height };
}
