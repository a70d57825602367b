import { fileURLToPath } from 'node:url';
import { build } from 'esbuild';

/** Worker threads of the server, with the names of their bundles. */
export const THREADS = {
  'sound.worker.mjs': './handover/sound.worker.ts',
  'archive.worker.mjs': './archive/archive.worker.ts',
};

/** Bundles a worker thread into one file. */
export const bundleThread = (name, outfile) =>
  build({
    entryPoints: [fileURLToPath(new URL(THREADS[name], import.meta.url))],
    outfile,
    bundle: true,
    platform: 'node',
    format: 'esm',
    target: 'node20',
    logLevel: 'error',
    // CommonJS packages need these globals.
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
