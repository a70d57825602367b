import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

/** Bundles the thread's code into one file that Node can run by itself. */
export const bundleSoundWorker = (outfile) =>
  build({
    entryPoints: [fileURLToPath(new URL('./sound.worker.ts', import.meta.url))],
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'error',
    // What comes as CommonJS asks for these.
    banner: {
      js: [
        "import { createRequire } from 'node:module';",
        "import { dirname } from 'node:path';",
        "import { fileURLToPath } from 'node:url';",
        'const require = createRequire(import.meta.url);',
        'const __filename = fileURLToPath(import.meta.url);',
        'const __dirname = dirname(__filename);',
      ].join('\n'),
    },
  });
