import { describe, expect, it } from 'vitest';
import { change } from '../changes';
import { newSong, type SongDocument } from '../../document/document';

const plain: SongDocument = { ...newSong('x', 'piano'), bars: 8 };

const range = { from: 0, to: 15_360 };

describe('a pick', () => {
  it('of a take that is not there is refused', () => {
    expect(() => change(plain, { type: 'pick take', part: 'piano', take: 'none', range })).toThrow(
      'no longer in the song',
    );
  });
});
