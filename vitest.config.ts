import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['{core,engine,server,demo,app,scripts}/**/*.test.ts'],
    // Property tests try many songs; the machine may be shared.
    testTimeout: 60_000,
  },
});
