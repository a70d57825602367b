import { defineEventHandler, getRequestHeader, sendRedirect } from 'h3';
import { refuse } from '../utils/requests';

const OWN = new Set(['127.0.0.1', 'localhost', '[::1]']);

const hostOf = (address: string): string => {
  try {
    return new URL(address).hostname;
  } catch {
    // No address: no host is like it.
    return '';
  }
};

/** The one name that pages have: what a browser keeps for `localhost` it does not show to `127.0.0.1`. */
const ADDRESS = '127.0.0.1';

/**
 * Only pages that this machine served may talk to the server: another site's page cannot, whatever name it gives us.
 */
export default defineEventHandler((event) => {
  const host = getRequestHeader(event, 'host') ?? '';
  const origin = getRequestHeader(event, 'origin');
  if (!OWN.has(hostOf(`http://${host}`))) refuse(403, 'This server answers on this machine only.');
  if (origin !== undefined && (!OWN.has(hostOf(origin)) || new URL(origin).host !== host)) {
    refuse(403, 'A page of another site may not use this server.');
  }
  // A browser says where a request comes from, also where it says no origin. Another site may lead here, no more.
  const leadsHere = event.method === 'GET' && getRequestHeader(event, 'sec-fetch-dest') === 'document';
  if (getRequestHeader(event, 'sec-fetch-site') === 'cross-site' && !leadsHere)
    refuse(403, 'A page of another site may not use this server.');
  // A page is asked for by its address; what is not a page comes from one. The path stays as it is, whatever it says.
  const asksForPage = getRequestHeader(event, 'sec-fetch-dest') === 'document';
  const { hostname, port } = new URL(`http://${host}`);
  if (hostname !== ADDRESS && asksForPage)
    return sendRedirect(event, `http://${ADDRESS}:${port || 80}${event.path}`, 307);
});
