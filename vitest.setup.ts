import fc from 'fast-check';

const { WORLDS, WORLD_SEED, WORLD_PATH } = process.env;

/**
 * Number of random worlds that each law is tried on. They are the same each time, so that a run tells of the change
 * that it tries; `WORLDS=10000 npx vitest run core/recording` hunts among new ones. A world that broke a law comes back
 * with `WORLD_SEED` and `WORLD_PATH`, as the report gives them.
 */
fc.configureGlobal({
  numRuns: Number(WORLDS ?? 100),
  ...(WORLD_SEED || !WORLDS ? { seed: Number(WORLD_SEED ?? 2024) } : {}),
  ...(WORLD_PATH ? { path: WORLD_PATH } : {}),
});
