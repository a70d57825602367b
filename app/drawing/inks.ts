/** Colours for canvases, the same as the tokens in the style sheet. */
export const TOKENS = {
  paper: '#F5F0E4',
  sheet: '#FCFAF4',
  rule: '#DAD0BB',
  ruleSoft: '#EAE2D0',
  ink: '#1D2B33',
  ink2: '#5B6770',
  ink3: '#767D78',
  copper: '#B2552B',
  copperSoft: '#F0DCCB',
  live: '#C2272D',
  liveSoft: '#F8DEDB',
  wave: '#D6CAB1',
  tint: '#F3ECDB',
} as const;

export const PART_INKS = {
  sea: '#23606E',
  moss: '#4F6F4A',
  plum: '#6B4363',
  brass: '#8F6A14',
  rust: '#9A4A2A',
  slate: '#44546A',
} as const;

export const FONTS = {
  names: "'Fraunces Variable'",
  text: "'Figtree Variable'",
  figures: "'Spline Sans Mono Variable'",
} as const;
