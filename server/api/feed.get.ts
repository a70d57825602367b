import { createEventStream, defineEventHandler } from 'h3';
import { PULSE } from '../../core/vocabulary/limits';
import { follow } from '../utils/feed';

/** Server-sent events: each change of a song or of the Desk, as `Announced`, for as long as somebody listens. */
export default defineEventHandler((event) => {
  const stream = createEventStream(event);
  // A window that has gone ends the stream, below.
  const end = follow((what) => void stream.push(JSON.stringify(what)).catch(() => {}));
  // Likewise.
  const beat = (): void => void stream.push({ event: 'pulse', data: '' }).catch(() => {});
  const pulse = setInterval(beat, PULSE);
  // The connection is open for the page with the first that it hears on it.
  beat();
  stream.onClosed(() => {
    end();
    clearInterval(pulse);
  });
  return stream.send();
});
