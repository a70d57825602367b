import { defineEventHandler, getRequestHeader, sendRedirect } from 'h3';
import { refuse } from '../utils/requests';

const OWN = new Set(['127.0.0.1', 'localhost', '[::1]']);

const hostOf = (address: string): string => {
  try {
    return new URL(address).hostname;
  } catch {
    // Without a host header there is no match.
    return '';
  }
};

/** Canonical host name, as a browser separates the storage of `localhost` and `127.0.0.1`. */
const ADDRESS = '127.0.0.1';

/** Admits requests of pages from this machine only, and not those of other sites, whatever host name they use. */
export default defineEventHandler((event) => {
  const host = getRequestHeader(event, 'host') ?? '';
  const origin = getRequestHeader(event, 'origin');
  if (!OWN.has(hostOf(`http://${host}`))) refuse(403, 'This server answers on this machine only.');
  if (origin !== undefined && (!OWN.has(hostOf(origin)) || new URL(origin).host !== host)) {
    refuse(403, 'A page of another site may not use this server.');
  }
  // Sec-Fetch-Site is sent even without an origin. Other sites may link to pages, and no more.
  const leadsHere = event.method === 'GET' && getRequestHeader(event, 'sec-fetch-dest') === 'document';
  if (getRequestHeader(event, 'sec-fetch-site') === 'cross-site' && !leadsHere)
    refuse(403, 'A page of another site may not use this server.');
  // Pages are requested by navigation; other requests come from a page. The path is not changed.
  const asksForPage = getRequestHeader(event, 'sec-fetch-dest') === 'document';
  const { hostname, port } = new URL(`http://${host}`);
  if (hostname !== ADDRESS && asksForPage)
    return sendRedirect(event, `http://${ADDRESS}:${port || 80}${event.path}`, 307);
});
