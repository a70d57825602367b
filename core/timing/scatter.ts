/** A number's bits, well mixed (the finisher of MurmurHash3, A. Appleby). */
function mixed(bits: number): number {
  let h = bits | 0;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b);
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35);
  return (h ^ (h >>> 16)) >>> 0;
}

/**
 * A normal number of spread 1 that a name and a seed decide, never beyond three: the same for the same, whatever else
 * there is (G. E. P. Box and M. E. Muller 1958).
 */
export function scatterOf(name: string, seed: number): number {
  let h = 0x811c9dc5 ^ seed;
  for (let i = 0; i < name.length; i += 1) h = Math.imul(h ^ name.charCodeAt(i), 0x01000193);
  const first = (mixed(h) + 1) / 4_294_967_297;
  const second = mixed(h ^ 0x9e3779b9) / 4_294_967_296;
  const far = Math.sqrt(-2 * Math.log(first)) * Math.cos(2 * Math.PI * second);
  return Math.max(-3, Math.min(3, far));
}
