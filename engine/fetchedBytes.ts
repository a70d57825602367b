/**
 * Reads a response to its end.
 * @param told called with the share that has arrived, 0 to 1; never where the server gives no length
 * @throws TypeError where the connection breaks off
 */
export async function fetchedBytes(response: Response, told: (share: number) => void): Promise<ArrayBuffer> {
  const length = Number(response.headers.get('content-length'));
  if (!response.body || !(length > 0)) return response.arrayBuffer();
  let read = 0;
  const counting = new TransformStream<Uint8Array, Uint8Array>({
    transform(piece, out) {
      read += piece.byteLength;
      // Compressed responses have more bytes than their header says.
      told(Math.min(1, read / length));
      out.enqueue(piece);
    },
  });
  return new Response(response.body.pipeThrough(counting)).arrayBuffer();
}
