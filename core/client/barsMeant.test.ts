import { describe, expect, it } from 'vitest';
import { barsMeant } from './barsMeant';
import { sameBars, type Bars, type Form } from './meant';

const form = (bars: number, names: readonly (readonly [string, number])[]): Form => {
  let bar = 1;
  const sections = names.map(([name, count]) => ({ name, first: bar, last: (bar += count) - 1 }));
  // Two seconds a bar.
  return { bars, sections, barAt: (s) => Math.floor(s / 2) + 1, played: { first: 1, last: bars - 1 } };
};
const SONG = form(64, [
  ...([
    ['Intro', 4],
    ['Verse 1', 8],
    ['Chorus 1', 8],
    ['Verse 2', 8],
    ['Chorus 2', 8],
    ['Bridge', 8],
    ['Chorus 3', 12],
    ['Outro', 8],
  ] as const),
]);
const LETTERS = form(40, [
  ['A', 8],
  ['B', 8],
  ['A2', 8],
  ['C', 16],
]);
const PLAIN = form(32, [
  ['Verse', 8],
  ['Chorus', 8],
  ['Verse', 8],
  ['Chorus', 8],
]);

/** "3-4, 7": bars in short. */
const bars = (text: string): Bars[] =>
  text.split(', ').map((one) => {
    const [first, last] = one.split('-').map(Number);
    return { first: first!, last: last ?? first! };
  });
const short = (all: readonly Bars[]): string =>
  all.map(({ first, last }) => (first === last ? String(first) : `${first}-${last}`)).join(', ');

/** Notes in several manners: what each means, and whether it may have to be asked. */
const NOTES: readonly (readonly [text: string, bars: string, how?: 'asked' | Form, song?: Form])[] = [
  // As an engineer writes.
  ['bar 12 too busy', '12'],
  ['Bars 12-14: less left hand', '12-14'],
  ['bars 3, 7 and 9 to 12 a bit late', '3, 7, 9-12'],
  ['b. 17 wrong chord, should be Am7', '17'],
  ['m. 21, drop the 7th', '21'],
  ['mm. 33–36 softer by 3 dB', '33-36'],
  ['measure 8 beat 3 is a flam', '8'],
  ['bar 12.3 early', '12'],
  ['beat 3 of bar 12 and beat 1 of bar 13 rushed', '12-13'],
  ['between bars 8 and 12 the pedal is muddy', '8-12'],
  ['from bar 8 to bar 12 play an octave up', '8-12'],
  ['bars 117-20 too loud', '117-120', form(140, [])],
  ['12: too busy', '12'],
  ['40-44: can we try it without the pad?', '40-44'],
  ['bar twelve, third beat: wrong note', '12'],
  ['bar 5/6: timing', '5-6'],
  ['from bar 40 onwards louder', '40-64'],
  ['bar 60 to the end: hold back', '60-64'],
  ['last two bars slower in touch', '63-64'],
  ['The last bar rings too long', '64'],
  ['first 4 bars with no pedal please', '1-4'],
  // Sections.
  ['second chorus: softer pedal', '29-36'],
  ['in the bridge, more movement in the left hand', '37-44'],
  ['Chorus 2 needs more energy', '29-36'],
  ['choruses 1 and 3: octaves in the right hand', '13-20, 45-56'],
  ['Both verses could be sparser', '5-12, 21-28'],
  ['all choruses louder by 2 dB', '13-20, 29-36, 45-56'],
  ['the final chorus feels rushed', '45-56'],
  ['3rd chorus, no pad', '45-56'],
  ['first two choruses too loud', '13-20, 29-36'],
  ['last bar of the bridge: leave space', '44'],
  ['third bar of the second verse is late', '23'],
  ['bar 3 of the bridge wrong bass note', '39'],
  ['last two bars of each verse, build up', '11-12, 27-28'],
  ['first half of the bridge only chords', '37-40'],
  ['second half of verse 2 thinner', '25-28'],
  ['chorus 2, bar 3: a wrong note', '31'],
  ['ch 3 is great, but the organ is too loud', '45-56'],
  ['V2 less', '21-28'],
  ['refrain 2: brighter', '29-36'],
  ['the introduction is too long on the pedal', '1-4'],
  ['from verse 2 to the bridge keep it simple', '21-44'],
  ['last note a bar longer', '63'],
  ['Final chord: let it ring', '63'],
  ['from the bridge on more air', '37-64'],
  ['outro: could be half as busy', '57-64'],
  // Times.
  ['at 0:45 there is a click', '23'],
  ['0:40-0:48 too dense', '21-24'],
  ['1:02 wrong note', '32'],
  ['around 83 s the chord is wrong', '42'],
  // All of it.
  ['Overall a little less reverb', '1-64'],
  ['throughout: tighter to the click', '1-64'],
  ['the whole song could be a touch brighter', '1-64'],
  // Letters and names that are said twice.
  ['at B please add a fill', '9-16', LETTERS],
  ['Letter C: octaves', '25-40', LETTERS],
  ['A2: no pedal', '17-24', LETTERS],
  ['second verse is too loud', '17-24', PLAIN],
  ['chorus 2 more drive', '25-32', PLAIN],
  ['bar 4 of the last chorus', '28', PLAIN],
  ['make bar 12 like bar 4', '12'],
  ['the end of the chorus 1 like in verse 1', '20', 'asked'],
  // As people say it.
  ['Can you thin out bars 9 through 12?', '9-12'],
  ['Love the intro, but could the pad come in on bar 3?', '3'],
  ['Verse 1 + 2: left hand less busy', '5-12, 21-28'],
  ['Bars 13,14 and 15. Too much sustain', '13-15'],
  ['the downbeat of the 2nd chorus is early', '29-36'],
  ['the outro ritard starts too early (bar 61)', '61'],
  ['Tempo feels rushed in bars 29-32 (chorus 2)', '29-32'],
  ['stray note at 01:14', '38'],
  ['Bridge, last 2 bars: build', '43-44'],
  ['bridge bars 1-4 just hold chords', '37-40'],
  ['Chorus 3 - first 4 bars half volume, then up', '45-48'],
  ['more sustain in the choruses', '13-20, 29-36, 45-56'],
  ['m37 redo', '37'],
  ['in bar 37, 2nd beat the F# should be F', '37'],
  ['take the pad out of verse 2', '21-28'],
  ['Verse 2 (bars 21-28): take the pad out', '21-28'],
  ['come in at bar 5 instead of bar 1', '5'],
  ['beats 2 and 4 in bars 17-20 too loud', '17-20'],
  ['bars 5-12, 21-28: same comping', '5-12, 21-28'],
  ['velocity too high on beat 1 of bars 13, 17, 29 and 33', '13, 17, 29, 33'],
  ['bars 61–end fade', '61-64'],
  ['bars nine and ten', '9-10'],
  ['In verse one the comping is too syncopated', '5-12'],
  ['chorus1 too loud', '13-20'],
  ['CHORUS 2 TOO LOUD', '29-36'],
  ['take 3 was better in bars 9-12', '9-12'],
  ['try 3/4 feel in the bridge', '37-44'],
  ['Ending too abrupt', '57-64'],
  ['verses 1 & 2 good, chorus 1 too loud', '13-20', 'asked'],
  ['29-32 rushed', '29-32', 'asked'],
  ['I’d like the organ to swell into chorus 2', '28', 'asked'],
  ['second time in the chorus: no octaves', '29-36', 'asked'],
  ['the transition from verse 2 to chorus 2 feels abrupt', '21-36', 'asked'],
  ['Could you add a lick after the first chorus?', '21', 'asked'],
  ['every other bar is rushed', '1-64', 'asked'],
  // Those that want a word.
  ['chorus is too loud', '13-20', 'asked'],
  ['from bar 21 a pad would help', '21-28', 'asked'],
  ['the bar before the bridge: a fill', '36', 'asked'],
  ['until bar 8 nothing', '1-8', 'asked'],
  ['at 12 the left hand is late', '12', 'asked'],
  ['the left hand is late', '1-64', 'asked'],
  ['a bit softer', '1-40', 'asked', LETTERS],
  ['in the end the chorus drags', '13-20', 'asked'],
  ['everything except the bridge', '37-44', 'asked'],
  ['bar 99 is wrong', '1-64', 'asked'],
  ['fourth chorus: louder', '13-20', 'asked'],
  ['pick-up to bar 9 late', '8', 'asked'],
  ['16 bars more of this would be lovely', '1-64', 'asked'],
  ['play it at 120 bpm and 3 dB softer, take 2 was better', '1-64', 'asked'],
];

describe('a client’s line', () => {
  it.each(NOTES.map((note) => [note[0], note] as const))('%s', (text, [, expected, how, where]) => {
    const song = where ?? (typeof how === 'object' ? how : SONG);
    const meant = barsMeant(text, song);
    if (how === 'asked') {
      expect(meant.bars, 'asked').toEqual([]);
      expect(meant.choices.map(short)).toContain(short(bars(expected)));
    } else expect([short(meant.bars), meant.choices.map(short)]).toEqual([expected, []]);
  });

  it('never means bars that the song has not, and always leaves the whole song to choose', () => {
    for (const [text] of NOTES) {
      const { bars: sure, choices } = barsMeant(text, PLAIN);
      for (const b of [...sure, ...choices.flat()]) {
        expect(b.first, text).toBeGreaterThanOrEqual(1);
        expect(b.last, text).toBeLessThanOrEqual(PLAIN.bars);
      }
      if (sure.length === 0)
        expect(
          choices.some((c) => sameBars(c, [{ first: 1, last: 32 }])),
          text,
        ).toBe(true);
    }
  });
});
