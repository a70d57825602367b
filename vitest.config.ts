import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vitest/config';

const root = fileURLToPath(new URL('.', import.meta.url)).replace(/\/$/, '');

export default defineConfig({
  resolve: { alias: { '~~': root, '~': `${root}/app` } },
  test: {
    include: ['{core,engine,server,demo,app,scripts}/**/*.test.ts'],
    setupFiles: ['./vitest.setup.ts'],
    // Property tests try many songs; the machine may be shared.
    testTimeout: 600_000,
  },
});
