import { describe, expect, it } from 'vitest';
import { change } from '../song/changes';
import { played, songOf } from '../testing/delivered';
import { off, on } from '../testing/layers';
import { USUAL_DELIVERY } from './delivery';
import { standingOf, standingWords } from './deliveryProgress';

const beats = Array.from({ length: 32 }, (_, b) => [on(b), off(b + 0.5)]).flat();
const [piano, organ] = [played('Piano', beats), played('Organ', [])];
const layers = new Map([...piano.layers, ...organ.layers]);
const song = songOf([piano.part, organ.part]);
const words = (...args: Parameters<typeof standingOf>) => standingWords(standingOf(...args));

describe('how far a song is from its client', () => {
  it('is nothing before anything is played, then what is left, then ready', () => {
    expect(words(songOf([organ.part]), layers, USUAL_DELIVERY, [])).toBe('');
    expect(words(song, layers, USUAL_DELIVERY, [])).toBe('One thing left');
    expect(words(song, layers, { ...USUAL_DELIVERY, leftOut: ['Organ'] }, [])).toBe('Ready');
  });

  it('is handed over until something a client has would be another', () => {
    const out = [{ number: 2, document: song, parts: ['Piano', 'Organ'] }];
    expect(words(song, layers, USUAL_DELIVERY, out)).toBe('Handed over, version 2');
    const quiet = change(song, { type: 'set part', part: 'Piano', to: { muted: true } }).document;
    expect(words(quiet, layers, USUAL_DELIVERY, out)).toBe('Handed over, version 2');
    const keyed = change(song, { type: 'set song', to: { key: { fifths: 1, minor: false } } }).document;
    expect(words(keyed, layers, USUAL_DELIVERY, out)).toBe('One thing left since version 2');
    expect(words(keyed, layers, { ...USUAL_DELIVERY, leftOut: ['Organ'] }, out)).toBe('Changed since version 2');
  });
});
