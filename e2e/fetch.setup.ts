/** Uses a connection for each request: servers close idle ones, and tests can be idle for long between requests. */
const plain = globalThis.fetch;
globalThis.fetch = (input, init) => {
  const headers = new Headers(init?.headers);
  headers.set('connection', 'close');
  return plain(input, { ...init, headers });
};
