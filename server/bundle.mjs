import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

/** The threads that the server starts, with what their code is called beside the server's. */
export const THREADS = {
  'sound.worker.mjs': './handover/sound.worker.ts',
  'archive.worker.mjs': './archive/archive.worker.ts',
};

/** Bundles a thread's code into one file that Node can run by itself. */
export const bundleThread = (name, outfile) =>
  build({
    entryPoints: [fileURLToPath(new URL(THREADS[name], import.meta.url))],
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
