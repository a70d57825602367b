/** A file that cannot be read. The message says what is wrong with it, in words for a player. */
export class DamagedFile extends Error {
  override readonly name = 'DamagedFile';
}
