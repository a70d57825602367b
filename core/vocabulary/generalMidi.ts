/** The sounds of General MIDI Level 1 by family, eight to each, in the order of their programs (MIDI Association). */
export const GM_FAMILIES: readonly { readonly family: string; readonly sounds: readonly string[] }[] = [
  [
    'Pianos',
    'Acoustic grand piano|Bright acoustic piano|Electric grand piano|Honky-tonk piano|' +
      'Electric piano 1|Electric piano 2|Harpsichord|Clavi',
  ],
  ['Tuned percussion', 'Celesta|Glockenspiel|Music box|Vibraphone|' + 'Marimba|Xylophone|Tubular bells|Dulcimer'],
  [
    'Organs',
    'Drawbar organ|Percussive organ|Rock organ|Church organ|' + 'Reed organ|Accordion|Harmonica|Tango accordion',
  ],
  [
    'Guitars',
    'Nylon guitar|Steel guitar|Jazz guitar|Clean guitar|' +
      'Muted guitar|Overdriven guitar|Distortion guitar|Guitar harmonics',
  ],
  [
    'Basses',
    'Acoustic bass|Fingered bass|Picked bass|Fretless bass|' + 'Slap bass 1|Slap bass 2|Synth bass 1|Synth bass 2',
  ],
  ['Strings', 'Violin|Viola|Cello|Contrabass|Tremolo strings|Pizzicato strings|Harp|Timpani'],
  [
    'Ensembles',
    'String ensemble 1|String ensemble 2|Synth strings 1|Synth strings 2|' +
      'Choir aahs|Voice oohs|Synth voice|Orchestra hit',
  ],
  ['Brass', 'Trumpet|Trombone|Tuba|Muted trumpet|' + 'French horn|Brass section|Synth brass 1|Synth brass 2'],
  ['Reeds', 'Soprano sax|Alto sax|Tenor sax|Baritone sax|Oboe|English horn|Bassoon|Clarinet'],
  ['Pipes', 'Piccolo|Flute|Recorder|Pan flute|Blown bottle|Shakuhachi|Whistle|Ocarina'],
  [
    'Synth leads',
    'Square lead|Saw lead|Calliope lead|Chiff lead|' + 'Charang lead|Voice lead|Fifths lead|Bass and lead',
  ],
  ['Synth pads', 'New age pad|Warm pad|Polysynth pad|Choir pad|' + 'Bowed pad|Metallic pad|Halo pad|Sweep pad'],
  ['Synth effects', 'Rain|Soundtrack|Crystal|Atmosphere|Brightness|Goblins|Echoes|Sci-fi'],
  ['Plucked, world', 'Sitar|Banjo|Shamisen|Koto|Kalimba|Bagpipe|Fiddle|Shanai'],
  ['Percussive', 'Tinkle bell|Agogo|Steel drums|Woodblock|' + 'Taiko drum|Melodic tom|Synth drum|Reverse cymbal'],
  ['Noises', 'Guitar fret noise|Breath noise|Seashore|Bird tweet|' + 'Telephone ring|Helicopter|Applause|Gunshot'],
].map(([family, sounds]) => ({ family: family!, sounds: sounds!.split('|') }));

/**
 * The name of a program, from 0.
 * @example gmName(200) // 'Unknown'
 */
export const gmName = (program: number): string => GM_FAMILIES[program >> 3]?.sounds[program & 7] ?? 'Unknown';
