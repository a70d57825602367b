import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['e2e/**/*.e2e.ts'],
    testTimeout: 600_000,
    hookTimeout: 300_000,
    // The machine may have two cores, and a few tests are about its own audio device: one browser at a time.
    fileParallelism: false,
    // What waits for the machine itself (a server that starts, a menu that opens) has a second try, which the report
    // names.
    retry: 1,
  },
});
