import type { Packed } from './packed';

/** A song's facts, and its layers with their events packed as bytes. */
export type Shipped<Facts, LayerFacts> = Facts & { readonly layers: readonly Packed<LayerFacts, Uint8Array>[] };

/** The length of the JSON, little endian. */
const HEAD_BYTES = 4;

/**
 * A song as it goes to the page: how long its JSON is, in four bytes, the JSON, in which each layer says how many bytes
 * it has, and then the bytes of the layers. As text in the JSON they would be written and read letter by letter.
 */
export function ship<Facts extends object, LayerFacts extends object>(song: Shipped<Facts, LayerFacts>): Uint8Array[] {
  const layers = song.layers.map((layer) => ({ ...layer, packed: layer.packed.length }));
  const json = new TextEncoder().encode(JSON.stringify({ ...song, layers }));
  const head = new Uint8Array(HEAD_BYTES);
  new DataView(head.buffer).setUint32(0, json.length, true);
  return [head, json, ...song.layers.map((layer) => layer.packed)];
}

/** The inverse of `ship`. @throws Error where the bytes are cut short or are not that */
export function unship<Facts, LayerFacts>(bytes: Uint8Array): Shipped<Facts, LayerFacts> {
  const damaged = new Error('The song came damaged or cut short.');
  if (bytes.length < HEAD_BYTES) throw damaged;
  let at = HEAD_BYTES + new DataView(bytes.buffer, bytes.byteOffset).getUint32(0, true);
  if (bytes.length < at) throw damaged;
  type Sent = Facts & { readonly layers: readonly (LayerFacts & { readonly packed: number })[] };
  const song = JSON.parse(new TextDecoder().decode(bytes.subarray(HEAD_BYTES, at))) as Sent;
  const layers = song.layers.map((layer) => {
    const packed = bytes.subarray(at, at + layer.packed);
    at += layer.packed;
    return { ...layer, packed };
  });
  if (bytes.length !== at) throw damaged;
  return { ...song, layers };
}
