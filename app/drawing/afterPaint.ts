/** Promise that settles when the changes so far have been drawn. A hidden page has no frames to wait for. */
export const afterPaint = (): Promise<void> =>
  new Promise((done) => {
    requestAnimationFrame(() => requestAnimationFrame(() => done()));
    setTimeout(done, 300);
  });
