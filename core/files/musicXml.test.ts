import { describe, expect, it } from 'vitest';
import { songFromScore } from '../import/fromScore';
import { readMusicXml } from './musicXml';

const note = (duration: number) =>
  `<note><pitch><step>C</step><octave>4</octave></pitch><duration>${duration}</duration></note>`;
const measured = (m: string, i: number) => (m.startsWith('<measure') ? m : `<measure number="${i + 1}">${m}</measure>`);
const score = (...measures: string[]) =>
  `<?xml version="1.0"?><!DOCTYPE score-partwise PUBLIC "-//Recordare//DTD MusicXML 4.0 Partwise//EN" "x.dtd">
  <score-partwise version="4.0"><work><work-title>Low Tide</work-title></work>
  <part-list><score-part id="P1"><part-name>Piano</part-name></score-part></part-list>
  <part id="P1">${measures.map(measured).join('')}</part></score-partwise>`;
const start =
  '<attributes><divisions>4</divisions><key><fifths>-3</fifths><mode>minor</mode></key>' +
  '<time><beats>4</beats><beat-type>4</beat-type></time></attributes>';
const mark = (text: string) => `<direction><direction-type><rehearsal>${text}</rehearsal></direction-type></direction>`;
const repeat = (direction: string, times = '') => `<barline><repeat direction="${direction}"${times}/></barline>`;
const ending = (number: string, type: string, more = '') =>
  `<barline><ending number="${number}" type="${type}"/>${more}</barline>`;

describe('a MusicXML score', () => {
  it('gives title, key, meter, tempo and sections', () => {
    const read = readMusicXml(
      score(
        `${start}<direction><direction-type><metronome><beat-unit>quarter</beat-unit><beat-unit-dot/>` +
          `<per-minute>80</per-minute></metronome></direction-type></direction>${mark('Verse')}${note(16)}`,
        `${note(8)}<direction><sound tempo="90"/></direction>${note(8)}`,
        `<attributes><time><beats>3+3</beats><beat-type>8</beat-type></time></attributes>${mark('Chorus')}${note(12)}`,
        note(12),
      ),
    );
    expect(read).toMatchObject({
      ...{ title: 'Low Tide', key: { fifths: -3, minor: true }, bars: 4, left: [] },
      meter: [
        { bar: 1, beats: 4, unit: 4 },
        { bar: 3, beats: 6, unit: 8 },
      ],
      // A dotted quarter at 80 is a quarter at 120.
      tempo: [
        { tick: 0, bpm: 120 },
        { tick: 3840 + 1920, bpm: 90 },
      ],
      marks: [
        { bar: 1, text: 'Verse' },
        { bar: 3, text: 'Chorus' },
      ],
    });
    const { document } = songFromScore(score(`${start}${note(16)}`, `${mark('B')}${note(16)}`), 'x.xml', () => 'id');
    expect(document.sections.map((s) => [s.name, s.bars])).toEqual([
      ['Start', 1],
      ['B', 1],
    ]);
    expect(document.key).toEqual({ fifths: -3, minor: true });
  });

  it('has its chord symbols on their beats, as they are written', () => {
    const harmony = (root: string, kind: string, more = '') =>
      `<harmony><root><root-step>${root[0]!}</root-step>` +
      `${root[1] ? `<root-alter>${root[1] === 'b' ? -1 : 1}</root-alter>` : ''}</root>${kind}${more}</harmony>`;
    const bass = '<bass><bass-step>D</bass-step></bass>';
    const degree =
      '<degree><degree-value>9</degree-value><degree-alter>-1</degree-alter><degree-type>add</degree-type></degree>';
    const text = score(
      `${start}${repeat('forward')}${harmony('A', '<kind text="-7">minor-seventh</kind>')}${note(16)}`,
      `${harmony('D', '<kind>suspended-fourth</kind>')}${note(12)}` +
        `${harmony('D', '<kind>dominant</kind>', degree)}${note(4)}${repeat('backward')}`,
      `${note(8)}${harmony('Bb', '<kind>major-seventh</kind>', bass)}${note(8)}`,
      `${harmony('C', '<kind>none</kind>')}${note(2)}${harmony('F#', '<kind>half-diminished</kind>')}${note(14)}`,
    );
    const { document } = songFromScore(text, 'x.xml', () => 'id');
    expect(document.written.map((w) => [w.bar, w.chords])).toEqual([
      [1, 'A-7'],
      [2, 'Dsus4 . . D7(b9)'],
      [3, 'A-7'],
      [4, 'Dsus4 . . D7(b9)'],
      [5, '. . Bbmaj7/D .'],
      [6, 'N.C. F#m7b5 . . . . . .'],
    ]);
  });

  it('begins with a pick-up as a short first bar', () => {
    const read = readMusicXml(
      score(
        `<measure number="0" implicit="yes">${start}${note(4)}` +
          `<backup><duration>4</duration></backup>${note(2)}</measure>`,
        note(16),
      ),
    );
    expect(read.meter).toEqual([
      { bar: 1, beats: 1, unit: 4 },
      { bar: 2, beats: 4, unit: 4 },
    ]);
  });

  it('is played out through its repeats and endings', () => {
    const bars = (...measures: string[]) =>
      readMusicXml(score(...measures))
        .marks.map((m) => m.text)
        .join('');
    const [a, b, c, d] = ['A', 'B', 'C', 'D'].map((m) => mark(m) + note(16));
    expect(bars(start + a, b + repeat('backward'), c!)).toBe('ABABC');
    expect(bars(start + a, repeat('forward') + b, c + repeat('backward'), d!)).toBe('ABCBCD');
    expect(bars(start + a + repeat('backward', ' times="3"'), b!)).toBe('AAAB');
    expect(
      bars(
        start + a,
        ending('1', 'start') + b + ending('1', 'stop', '<repeat direction="backward"/>'),
        ending('2', 'start') + c + ending('2', 'discontinue'),
        d!,
      ),
    ).toBe('ABACD');
    expect(
      bars(
        start + a,
        ending('1, 2', 'start') + b + ending('1, 2', 'stop', '<repeat direction="backward"/>'),
        ending('3', 'start') + c + ending('3', 'stop'),
        d!,
      ),
    ).toBe('ABABACD');
    const many = Array.from({ length: 300_000 }, (_, i) => i + 1).join(',');
    expect(
      bars(start + a, ending(many, 'start') + b + ending(many, 'stop', '<repeat direction="backward"/>'), c!),
    ).toBe(`${'AB'.repeat(16)}AC`);
    expect(readMusicXml(score(`${start}${note(16)}<direction><sound dacapo="yes"/></direction>`)).left).toHaveLength(1);
  });

  it('that is none, compressed, timewise, cut short or endless says so', () => {
    const says = (text: string) => {
      try {
        readMusicXml(text);
        return '';
      } catch (error) {
        return (error as Error).message;
      }
    };
    expect(says('PK\u0003\u0004')).toMatch(/compressed/);
    expect(says('<score-timewise/>')).toMatch(/timewise/);
    expect(says('<html></html>')).toMatch(/no MusicXML/);
    expect(says('Dear client')).toMatch(/no MusicXML|no XML/);
    expect(says(score())).toMatch(/no bars/);
    expect(says(score(...Array.from({ length: 900 }, () => note(16) + repeat('backward', ' times="16"'))))).toMatch(
      /longer than/,
    );
    const entities = '<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b "&a;&a;&a;&a;">]>';
    expect(says(entities + score(`${start}${mark('&b;')}${note(16)}`))).toMatch(/no XML/);
    expect(() => songFromScore(score(`${start}<sound tempo="4000"/>${note(16)}`), 'x.xml', () => 'i')).toThrow(
      /tempo outside/,
    );
  });
});
