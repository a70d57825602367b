import type { BrowserContext, Page } from 'playwright-core';

/**
 * Counts dropouts of the machine's audio device in the pages of a context, by the audio clock falling behind the
 * page's.
 */
export async function withDryWatch(context: BrowserContext): Promise<void> {
  await context.addInitScript(`{
    window.ranDry = 0;
    const Own = window.AudioContext;
    window.AudioContext = class extends Own {
      constructor(options) {
        super(options);
        let last = null;
        setInterval(() => {
          const { performanceTime, contextTime } = this.getOutputTimestamp();
          if (!performanceTime || !contextTime) return;
          const offset = contextTime - performanceTime / 1000;
          if (last !== null && Math.abs(offset - last) > 0.002) window.ranDry += 1;
          last = offset;
        }, 15);
      }
    };
  }`);
}

/** Number of dropouts so far. */
export const timesDry = (page: Page): Promise<number> => page.evaluate('ranDry');
