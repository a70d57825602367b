import { z } from 'zod';
import { DamagedFile } from './damaged';

/** Random access to bytes, as a bank may be larger than memory. */
export interface ByteSource {
  readonly size: number;
  /** Reads bytes from a place within the size. */
  read(from: number, length: number): Promise<Uint8Array>;
}
/** Source over bytes in memory. */
export const bytesHere = (bytes: Uint8Array): ByteSource => ({
  size: bytes.length,
  read: (from, length) => Promise.resolve(bytes.subarray(from, from + length)),
});

/** Sound of a bank, by its MIDI bank and program numbers. */
export const bankPresetSchema = z
  .object({
    name: z.string().max(40),
    bank: z.number().int().min(0).max(65_535),
    program: z.number().int().min(0).max(127),
    /** Bytes of samples that it needs. */
    bytes: z.number().int().nonnegative(),
  })
  .readonly();
export type BankPreset = z.infer<typeof bankPresetSchema>;
/** Most sounds in a bank. */
export const MOST_PRESETS = 20_000;

interface Chunk {
  readonly name: string;
  readonly from: number;
  readonly length: number;
}
/**
 * Place of a sample. Its loop is relative to its own start where it is compressed, otherwise to the start of the sound
 * data.
 */
export interface SampleRecord {
  /** Byte offset from the start of the sound data. */
  readonly from: number;
  readonly to: number;
  readonly compressed: boolean;
}
/** Lengths of the tables' records. Source: SoundFont 2.04, section 7. */
const RECORDS = { phdr: 38, pbag: 4, pmod: 10, pgen: 4, inst: 22, ibag: 4, imod: 10, igen: 4, shdr: 46 };
type Table = keyof typeof RECORDS;
/** Bank file without its sound data: its place, and the tables by name. */
export interface BankTables {
  readonly sound: Chunk;
  /** List chunk that it is in. */
  readonly around: Chunk;
  readonly info: Chunk | undefined;
  /** Name of the bank, possibly empty. */
  readonly name: string;
  readonly tables: Readonly<Record<Table, Uint8Array>>;
  readonly samples: readonly SampleRecord[];
}

/** Largest table, as tables are read whole. */
const LONGEST_TABLE = 2 ** 26;
/** Number of bytes of a bank's name that are read. */
const LONGEST_BANK_NAME = 55;
/** Generators that refer to an instrument, and to a sample. */
const INSTRUMENT = 41;
const SAMPLE = 53;
const COMPRESSED = 0x10;
const MONO = 1;
/** Number of bytes copied at once. */
const PIECE = 2 ** 20;

const LATIN = new TextDecoder('latin1');
/** Text in a table, without the control characters that some programs have left. */
const words = (bytes: Uint8Array, from: number, length: number): string =>
  LATIN.decode(bytes.subarray(from, from + length))
    .replace(/\0.*$/s, '')
    .replaceAll(/[\x00-\x1f\x7f-\x9f]+/g, ' ')
    .trim();
const viewOf = (bytes: Uint8Array): DataView => new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);

async function chunksOf(source: ByteSource, from: number, to: number): Promise<Chunk[]> {
  const found: Chunk[] = [];
  for (let at = from; at + 8 <= to;) {
    const head = await source.read(at, 8);
    const length = viewOf(head).getUint32(4, true);
    if (at + 8 + length > source.size)
      throw new DamagedFile(
        `The sound bank is cut short: ${Math.floor((100 * source.size) / (at + 8 + length))}% of it is there.`,
      );
    found.push({ name: LATIN.decode(head.subarray(0, 4)), from: at + 8, length });
    at += 8 + length + (length % 2);
  }
  return found;
}

/**
 * Reads a bank's tables. Source: SoundFont 2.04, sections 4 to 7.
 * @throws DamagedFile for a file that is damaged or no bank
 */
export async function readTables(source: ByteSource): Promise<BankTables> {
  const head = source.size < 12 ? '' : LATIN.decode(await source.read(0, 12));
  if (!head.startsWith('RIFF') || !head.endsWith('sfbk'))
    throw new DamagedFile('This is not a sound bank (SF2 or SF3).');
  const inside: Chunk[] = [];
  let around: Chunk | undefined;
  for (const outer of (await chunksOf(source, 12, source.size)).filter(({ name }) => name === 'LIST')) {
    const found = await chunksOf(source, outer.from + 4, outer.from + outer.length);
    if (found.some(({ name }) => name === 'smpl')) around ??= outer;
    inside.push(...found);
  }
  const sound = inside.find(({ name }) => name === 'smpl');
  const table = (name: Table): Promise<Uint8Array> => {
    const chunk = inside.find((c) => c.name === name);
    const size = RECORDS[name];
    if (!chunk || chunk.length % size !== 0 || chunk.length < size || chunk.length > LONGEST_TABLE)
      throw new DamagedFile('The sound bank is damaged: one of its tables is missing or has another length.');
    return source.read(chunk.from, chunk.length);
  };
  const tables = {
    ...{ phdr: await table('phdr'), pbag: await table('pbag'), pmod: await table('pmod'), pgen: await table('pgen') },
    ...{ inst: await table('inst'), ibag: await table('ibag'), imod: await table('imod'), igen: await table('igen') },
    shdr: await table('shdr'),
  };
  if (!sound || !around) throw new DamagedFile('There is no sound in the sound bank.');
  const records = viewOf(tables.shdr);
  // The last record of a table only marks its end.
  const samples = Array.from({ length: records.byteLength / RECORDS.shdr - 1 }, (_, i): SampleRecord => {
    const place = (field: number) => records.getUint32(i * RECORDS.shdr + field, true);
    const compressed = (records.getUint16(i * RECORDS.shdr + 44, true) & COMPRESSED) > 0;
    const [from, to] = [place(20), place(24)].map((at) => at * (compressed ? 1 : 2)) as [number, number];
    if (from > to || to > sound.length)
      throw new DamagedFile('The sound bank is damaged: one of its samples lies outside of its sound.');
    return { from, to, compressed };
  });
  const named = inside.find(({ name }) => name === 'INAM');
  const name = named
    ? words(await source.read(named.from, Math.min(named.length, LONGEST_BANK_NAME)), 0, LONGEST_BANK_NAME)
    : '';
  return { sound, around, info: inside.find((c) => c.name === 'ifil'), name, tables, samples };
}

/** References of some zones' generators, from one zone to another. */
function named({ tables }: BankTables, bags: Table, gens: Table, from: number, to: number, kind: number): number[] {
  const [zones, generators] = [viewOf(tables[bags]), viewOf(tables[gens])];
  const last = zones.byteLength / 4 - 1;
  const found: number[] = [];
  for (let zone = from; zone < Math.min(to, last); zone += 1) {
    const end = Math.min(zones.getUint16(4 * zone + 4, true), generators.byteLength / 4);
    for (let g = zones.getUint16(4 * zone, true); g < end; g += 1)
      if (generators.getUint16(4 * g, true) === kind) found.push(generators.getUint16(4 * g + 2, true));
  }
  return found;
}

/** Instruments of a sound, by its index. */
function instrumentsOf(bank: BankTables, preset: number): Set<number> {
  const headers = viewOf(bank.tables.phdr);
  const bag = (at: number) => headers.getUint16(RECORDS.phdr * at + 24, true);
  return new Set(named(bank, 'pbag', 'pgen', bag(preset), bag(preset + 1), INSTRUMENT));
}

/** Samples that it needs. */
function samplesOf(bank: BankTables, preset: number): Set<number> {
  const instruments = viewOf(bank.tables.inst);
  const last = instruments.byteLength / RECORDS.inst - 1;
  const used = new Set<number>();
  for (const i of instrumentsOf(bank, preset)) {
    if (i >= last) throw new DamagedFile('The sound bank is damaged: a sound names an instrument that is not in it.');
    const zone = (at: number) => instruments.getUint16(RECORDS.inst * at + 20, true);
    for (const sample of named(bank, 'ibag', 'igen', zone(i), zone(i + 1), SAMPLE)) {
      if (!bank.samples[sample])
        throw new DamagedFile('The sound bank is damaged: an instrument names a sample that is not in it.');
      used.add(sample);
    }
  }
  return used;
}

const sizeOf = (bank: BankTables, used: Iterable<number>): number =>
  [...used].reduce((sum, i) => sum + bank.samples[i]!.to - bank.samples[i]!.from, 0);

/** Facts of a sound, by its index. */
function headerOf({ tables: { phdr } }: BankTables, preset: number): Omit<BankPreset, 'bytes'> {
  const at = RECORDS.phdr * preset;
  const [program, bank] = [viewOf(phdr).getUint16(at + 20, true), viewOf(phdr).getUint16(at + 22, true)];
  return { name: words(phdr, at, 20) || `${bank}:${program + 1}`, bank, program };
}
/** Indices of the sounds that MIDI can select: of several with equal numbers the first. */
function placesOf(bank: BankTables): number[] {
  const places = Array.from({ length: bank.tables.phdr.length / RECORDS.phdr - 1 }, (_, i) => i);
  const seen = new Set<string>();
  return places.filter((i) => {
    const { bank: number, program } = headerOf(bank, i);
    const isNew = program < 128 && !seen.has(`${number}:${program}`);
    seen.add(`${number}:${program}`);
    return isNew;
  });
}

/** Sounds of a bank, by their numbers. @throws DamagedFile */
export function presetsOf(bank: BankTables): BankPreset[] {
  const places = placesOf(bank);
  if (places.length === 0) throw new DamagedFile('The sound bank has no sounds in it.');
  if (places.length > MOST_PRESETS) throw new DamagedFile(`The sound bank says that it has ${places.length} sounds.`);
  return places
    .map((i) => ({ ...headerOf(bank, i), bytes: sizeOf(bank, samplesOf(bank, i)) }))
    .sort((a, b) => a.bank - b.bank || a.program - b.program);
}

function written(name: string, bytes: Uint8Array): Uint8Array {
  const out = new Uint8Array(8 + bytes.length + (bytes.length % 2));
  out.set(new TextEncoder().encode(name));
  viewOf(out).setUint32(4, bytes.length, true);
  out.set(bytes, 8);
  return out;
}
const joined = (parts: readonly Uint8Array[]): Uint8Array => {
  const out = new Uint8Array(parts.reduce((sum, p) => sum + p.length, 0));
  let at = 0;
  for (const part of parts) {
    out.set(part, at);
    at += part.length;
  }
  return out;
};
const list = (kind: string, parts: readonly Uint8Array[]): Uint8Array =>
  written('LIST', joined([new TextEncoder().encode(kind), ...parts]));

/** Tables of a sound's zones, and of an instrument's; with the header field that has their start. */
const ZONES = {
  sound: { header: 'phdr', bag: 24, bags: 'pbag', generators: 'pgen', modulators: 'pmod', names: INSTRUMENT },
  instrument: { header: 'inst', bag: 20, bags: 'ibag', generators: 'igen', modulators: 'imod', names: SAMPLE },
} as const;

/**
 * Extracts sounds or instruments from a bank's tables, with their zones renumbered.
 * @param chosen indices, in their new order
 * @param renamed new indices of the instruments or samples that their zones refer to
 */
function cut(
  { tables }: BankTables,
  kind: keyof typeof ZONES,
  chosen: readonly number[],
  renamed: ReadonlyMap<number, number>,
): [Table, Uint8Array][] {
  const { header, bag, bags, generators, modulators, names } = ZONES[kind];
  const record = (name: Table, at: number): Uint8Array => {
    const bytes = tables[name].slice(RECORDS[name] * at, RECORDS[name] * (at + 1));
    if (bytes.length < RECORDS[name])
      throw new DamagedFile('The sound bank is damaged: some of its zones are missing.');
    return bytes;
  };
  const field = (bytes: Uint8Array, at: number): number => viewOf(bytes).getUint16(at, true);
  const setField = (bytes: Uint8Array, at: number, value: number): void => viewOf(bytes).setUint16(at, value, true);
  const out: Record<'headers' | 'bags' | 'generators' | 'modulators', Uint8Array[]> = {
    ...{ headers: [], bags: [], generators: [], modulators: [] },
  };
  const begin = (): Uint8Array => {
    const zone = new Uint8Array(RECORDS[bags]);
    setField(zone, 0, out.generators.length);
    setField(zone, 2, out.modulators.length);
    return zone;
  };
  for (const place of chosen) {
    const own = record(header, place);
    const [from, to] = [field(own, bag), field(record(header, place + 1), bag)];
    setField(own, bag, out.bags.length);
    out.headers.push(own);
    for (let zone = from; zone < to; zone += 1) {
      const [here, next] = [record(bags, zone), record(bags, zone + 1)];
      out.bags.push(begin());
      for (let g = field(here, 0); g < field(next, 0); g += 1) {
        const generator = record(generators, g);
        if (field(generator, 0) === names) setField(generator, 2, renamed.get(field(generator, 2)) ?? 0);
        out.generators.push(generator);
      }
      for (let m = field(here, 2); m < field(next, 2); m += 1) out.modulators.push(record(modulators, m));
    }
  }
  // The last record of a table only marks its end.
  const end = new Uint8Array(RECORDS[header]);
  setField(end, bag, out.bags.length);
  return [
    [header, joined([...out.headers, end])],
    [bags, joined([...out.bags, begin()])],
    [modulators, joined([...out.modulators, new Uint8Array(RECORDS[modulators])])],
    [generators, joined([...out.generators, new Uint8Array(RECORDS[generators])])],
  ];
}

/** Records of the kept samples at their new places, and the length of their data. */
function cutSamples(
  { tables, samples }: BankTables,
  used: readonly number[],
  renamed: ReadonlyMap<number, number>,
): { readonly records: Uint8Array; readonly length: number } {
  const records = new Uint8Array(RECORDS.shdr * (used.length + 1));
  const view = viewOf(records);
  let length = 0;
  for (const [i, old] of used.entries()) {
    const at = RECORDS.shdr * i;
    records.set(tables.shdr.subarray(RECORDS.shdr * old, RECORDS.shdr * (old + 1)), at);
    const { from, to, compressed } = samples[old]!;
    const unit = compressed ? 1 : 2;
    view.setUint32(at + 20, length / unit, true);
    view.setUint32(at + 24, (length + to - from) / unit, true);
    // Loops of compressed samples are relative to their own start.
    if (!compressed)
      for (const loop of [28, 32])
        view.setUint32(at + loop, view.getUint32(at + loop, true) + (length - from) / 2, true);
    const other = renamed.get(view.getUint16(at + 42, true));
    view.setUint16(at + 42, other ?? 0, true);
    // A stereo side without its other side becomes mono.
    if (other === undefined) view.setUint16(at + 44, MONO | (compressed ? COMPRESSED : 0), true);
    // Uncompressed samples begin on whole frames.
    length += to - from + ((to - from) % 2);
  }
  return { records, length };
}

/**
 * Writes a bank of one sound and the samples that it needs, piece by piece.
 * @throws DamagedFile where there is no such sound
 */
export async function* onePreset(
  source: ByteSource,
  bank: BankTables,
  wanted: Pick<BankPreset, 'bank' | 'program'>,
): AsyncGenerator<Uint8Array> {
  const preset = placesOf(bank).find((i) => {
    const { bank: number, program } = headerOf(bank, i);
    return number === wanted.bank && program === wanted.program;
  });
  if (preset === undefined) throw new DamagedFile('The sound bank has no such sound.');
  const used = [...samplesOf(bank, preset)].sort((a, b) => a - b);
  const instruments = [...instrumentsOf(bank, preset)].sort((a, b) => a - b);
  const places = (all: readonly number[]) => new Map(all.map((old, i) => [old, i]));
  const { records, length } = cutSamples(bank, used, places(used));
  const tables = [
    ...cut(bank, 'sound', [preset], places(instruments)),
    ...cut(bank, 'instrument', instruments, places(used)),
    ['shdr', records] as const,
  ].map(([name, bytes]) => written(name, bytes));
  const info = list('INFO', bank.info ? [written('ifil', await source.read(bank.info.from, bank.info.length))] : []);
  const data = list('pdta', tables);
  const head = new TextEncoder().encode('RIFF....sfbk');
  viewOf(head).setUint32(4, 4 + info.length + 20 + length + data.length, true);
  const sound = new TextEncoder().encode('LIST....sdtasmpl....');
  viewOf(sound).setUint32(4, 12 + length, true);
  viewOf(sound).setUint32(16, length, true);
  yield joined([head, info, sound]);
  for (const i of used) {
    const { from, to } = bank.samples[i]!;
    for (let at = from; at < to; at += PIECE) yield await source.read(bank.sound.from + at, Math.min(PIECE, to - at));
    if ((to - from) % 2) yield new Uint8Array(1);
  }
  yield data;
}
