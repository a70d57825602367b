import { createEventStream, defineEventHandler } from 'h3';
import { PULSE } from '../../core/vocabulary/limits';
import { follow } from '../utils/feed';

/** Server-sent events: each change of a song or the Desk, as `Announced`, for as long as the connection lasts. */
export default defineEventHandler((event) => {
  const stream = createEventStream(event);
  // A window that closes ends the stream, below.
  const end = follow((what) => void stream.push(JSON.stringify(what)).catch(() => {}));
  // Likewise.
  const beat = (): void => void stream.push({ event: 'pulse', data: '' }).catch(() => {});
  const pulse = setInterval(beat, PULSE);
  // The page counts the connection as open at its first message.
  beat();
  stream.onClosed(() => {
    end();
    clearInterval(pulse);
  });
  return stream.send();
});
