/**
 * Reads an answer to its end, and tells how far it is.
 * @param told called with the share that is here, 0 to 1; never where the server does not say how long it is
 * @throws TypeError where it breaks off
 */
export async function fetchedBytes(response: Response, told: (share: number) => void): Promise<ArrayBuffer> {
  const length = Number(response.headers.get('content-length'));
  if (!response.body || !(length > 0)) return response.arrayBuffer();
  let read = 0;
  const counting = new TransformStream<Uint8Array, Uint8Array>({
    transform(piece, out) {
      read += piece.byteLength;
      // Bytes that were packed on their way are more than is said.
      told(Math.min(1, read / length));
      out.enqueue(piece);
    },
  });
  return new Response(response.body.pipeThrough(counting)).arrayBuffer();
}
