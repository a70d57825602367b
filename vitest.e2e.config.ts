import { defineConfig } from 'vitest/config';

/** Tests of the machine's own audio device, which wants the machine to itself. */
const DEVICE = 'e2e/device.e2e.ts';

const shared = {
  testTimeout: 600_000,
  hookTimeout: 300_000,
  setupFiles: ['e2e/fetch.setup.ts'],
  // A look is repeated until it is as expected; a busy machine can be slow to it.
  expect: { poll: { timeout: 90_000 } },
};

export default defineConfig({
  test: {
    globalSetup: ['e2e/demo.ts'],
    projects: [
      {
        test: {
          ...shared,
          name: 'clock',
          include: ['{e2e,soak}/*.e2e.ts'],
          exclude: [DEVICE],
          // They move a clock of their own, so two browsers beside each other do them no harm.
          maxWorkers: 2,
          sequence: { groupOrder: 0 },
        },
      },
      { test: { ...shared, name: 'device', include: [DEVICE], fileParallelism: false, sequence: { groupOrder: 1 } } },
    ],
  },
});
