import { describe, expect, it } from 'vitest';
import { mapsOf } from '../document/maps';
import { writeMidiFile } from '../files/smf';
import { midiSongOf } from '../handover/midi';
import { played, songOf } from '../testing/delivered';
import { off, on, pedal } from '../testing/layers';
import { change } from '../song/changes';
import { lineOf, takeReader } from '../reading/reading';
import { layerOfTrack, offerTake } from './takeFromMidi';

const piano = played('Piano', [on(0), off(1), pedal(1.5, true), on(6, 64), off(7, 64), pedal(7.5, false)]);
const organ = played('Organ', [on(2, 48), off(3, 48)]);
const song = songOf([piano.part, organ.part]);
const layers = new Map([...piano.layers, ...organ.layers]);
const read = takeReader(layers, []);
const bytes = (parts = song.parts) => writeMidiFile(midiSongOf(song, parts, read));
let n = 0;
const newId = () => `id ${n++}`;

describe('a MIDI file as a take', () => {
  it('that was handed over comes back as the very line, in pencil beside the others', () => {
    const offered = offerTake(bytes(), 'Low Tide - all parts.mid', song.parts[0]!);
    expect(offered.tracks.map((t) => t.name)).toEqual(['Piano', 'Organ']);
    expect(offered.likely?.name).toBe('Piano');
    // The song has another tempo by now: the file lies on its bars.
    const slow = { ...song, tempo: [{ tick: 0, bpm: 75 }] };
    const made = layerOfTrack(offered, offered.likely!.track, song.parts[0]!, slow, newId, '');
    const { header, closing } = made;
    const now = change(slow, { type: 'bring in take', part: 'Piano', header, range: closing.range, at: '' }).document;
    const [part] = now.parts;
    expect(part!.comp).toEqual(song.parts[0]!.comp);
    expect(part!.takes.at(-1)).toMatchObject({ number: 2, name: 'Low Tide - all parts', layers: [header.id] });
    const all = takeReader(new Map([...layers, [header.id, made]]), []);
    const own = all(part!.takes.at(-1)!).notes.map((x) => [x.key, Math.round(x.start), Math.round(x.end)]);
    const { notes, controls } = lineOf(song.parts[0]!, read, mapsOf(song));
    expect(own).toEqual(notes.map((x) => [x.key, Math.round(x.start), Math.round(x.end)]));
    expect(all(part!.takes.at(-1)!).controls).toHaveLength(controls.length);
  });

  it('is heard at once where it is the first, and asks where it has several tracks and none of the name', () => {
    const bare = { ...song, parts: [{ ...song.parts[0]!, takes: [], comp: [] }] };
    const offered = offerTake(bytes([song.parts[1]!]), 'x.mid', song.parts[0]!);
    expect(offered.likely?.name).toBe('Organ');
    const { header, closing } = layerOfTrack(offered, offered.likely!.track, song.parts[0]!, bare, newId, '');
    const now = change(bare, { type: 'bring in take', part: 'Piano', header, range: closing.range, at: '' }).document;
    expect(now.parts[0]!.comp).toMatchObject([{ from: 0, to: 3840, takeId: header.takeId }]);
    expect(offerTake(bytes(), 'x.mid', { name: 'Clavi' }).likely).toBeNull();
    expect(() => offerTake(writeMidiFile(midiSongOf(song, [], read)), 'x.mid', song.parts[0]!)).toThrow(/no notes/);
    expect(() => offerTake(new TextEncoder().encode('letter'), 'x.mid', song.parts[0]!)).toThrow(/not a MIDI file/);
  });
});
