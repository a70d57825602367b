/**
 * Tests work on what they have fetched for as long as it takes, and meanwhile a server closes a connection that nobody
 * uses: each request of theirs has one of its own.
 */
const plain = globalThis.fetch;
globalThis.fetch = (input, init) => {
  const headers = new Headers(init?.headers);
  headers.set('connection', 'close');
  return plain(input, { ...init, headers });
};
