import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['e2e/**/*.e2e.ts'],
    testTimeout: 180_000,
    hookTimeout: 120_000,
    // Audio runs in real time, and the machine may have two cores: one browser at a time.
    fileParallelism: false,
    // And other work may be on it: what waits in real time has a second try, which the report names. A fault fails both.
    retry: 1,
  },
});
