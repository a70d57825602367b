import { onBeforeUnmount, onMounted } from 'vue';

/** Calls back before each frame is drawn, as long as the component lives. */
export function useFrames(frame: () => void): void {
  let handle = 0;
  const next = () => {
    frame();
    handle = requestAnimationFrame(next);
  };
  onMounted(() => {
    handle = requestAnimationFrame(next);
  });
  onBeforeUnmount(() => cancelAnimationFrame(handle));
}
