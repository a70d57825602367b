import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { z } from 'zod';
import { songEntrySchema } from '../archive/archive';
import { newSong, songSchema, storedSongSchema } from './document';
import { DOCUMENT_VERSION, NewerSong, upToDate, type Step } from './versions';

const stored = (name: string): unknown =>
  JSON.parse(readFileSync(new URL(`./stored/${name}.json`, import.meta.url), 'utf8'));
const VERSIONS = Array.from({ length: DOCUMENT_VERSION }, (_, i) => i + 1);

describe('a stored song', () => {
  it.each(VERSIONS)('of version %d is read, with nothing lost and today’s version', (version) => {
    const document = stored(`song-${version}`);
    const read = storedSongSchema.parse(document);
    expect(read.version).toBe(DOCUMENT_VERSION);
    if (version === DOCUMENT_VERSION) expect(JSON.parse(JSON.stringify(read))).toEqual(document);
  });

  it('is read from an archive of its time', () => {
    const entry = { id: 'one', position: 0, revision: 3, away: null, deleted: null, document: stored('song-1') };
    expect(songEntrySchema.parse(entry).document).toEqual(storedSongSchema.parse(stored('song-1')));
  });

  it('of a newer version is read by nobody', () => {
    const document = { ...newSong('Causeway', 'piano'), version: DOCUMENT_VERSION + 1, tuning: 440 };
    expect(() => upToDate(document)).toThrow(NewerSong);
  });

  it('goes through every step from its version to today’s', () => {
    const steps: Step[] = [
      (d) => ({ ...d, version: 2, tuning: 440 }),
      ({ tuning, ...d }) => ({ ...d, version: 3, pitch: { hz: tuning } }),
    ];
    expect(upToDate({ version: 1, title: 'a' }, steps, 3)).toEqual({ version: 3, title: 'a', pitch: { hz: 440 } });
    expect(upToDate({ version: 2, title: 'a', tuning: 442 }, steps, 3)).toMatchObject({ pitch: { hz: 442 } });
    expect(upToDate({ version: 3, title: 'a' }, steps, 3)).toEqual({ version: 3, title: 'a' });
  });

  it('of before it could be transposed has drums that keep their pitch; what is no list is refused', () => {
    const old = stored('song-2') as { readonly backings: readonly object[] };
    const [first] = old.backings;
    const midi = (drums: boolean) => ({ ...first, midi: { track: 0, program: 0, drums } });
    const read = storedSongSchema.parse({ ...old, backings: [first, midi(true), midi(false)] });
    expect(read.backings.map((b) => b.keepsPitch)).toEqual([false, true, false]);
    for (const backings of [undefined, null, 7, [null]])
      expect(storedSongSchema.safeParse({ ...old, backings }).success).toBe(false);
  });

  it('is none without a version, and is told so by its schema', () => {
    expect(upToDate({ title: 'a' })).toEqual({ title: 'a' });
    expect(upToDate(null)).toBe(null);
  });

  // An older program would drop a field that it does not know: whoever adds one gives it a version of its own.
  it('has the shape that its version says', () => {
    const { $schema, ...shape } = z.toJSONSchema(songSchema, { io: 'input', unrepresentable: 'any' });
    expect($schema).toMatch(/2020-12/);
    expect(JSON.parse(JSON.stringify(shape)), 'see core/document/versions.ts').toEqual(
      stored(`shape-${DOCUMENT_VERSION}`),
    );
  });
});
