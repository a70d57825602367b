/** Error of a file that cannot be read. Its message is for the player. */
export class DamagedFile extends Error {
  override readonly name = 'DamagedFile';
}
