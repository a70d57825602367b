import fc from 'fast-check';

/** How many random worlds each law is tried on: `WORLDS=10000 npx vitest run core/recording` goes hunting. */
fc.configureGlobal({ numRuns: Number(process.env.WORLDS ?? 100) });
