import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    include: ['e2e/**/*.e2e.ts'],
    testTimeout: 180_000,
    hookTimeout: 120_000,
    // Audio runs in real time, and the machine may have two cores: one browser at a time.
    fileParallelism: false,
  },
});
