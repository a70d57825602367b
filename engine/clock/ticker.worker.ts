/** Timer that a hidden page does not slow down. It sends a message at the interval it was told last. */
let timer: ReturnType<typeof setInterval> | undefined;
self.addEventListener('message', ({ data }: MessageEvent<number>) => {
  clearInterval(timer);
  timer = setInterval(() => postMessage(0), data);
});
postMessage(0);
