/** Resolves when the changes so far have been painted. A hidden page has no frames to wait for. */
export const afterPaint = (): Promise<void> =>
  new Promise((done) => {
    requestAnimationFrame(() => requestAnimationFrame(() => done()));
    setTimeout(done, 300);
  });
