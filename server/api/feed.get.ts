import { createEventStream, defineEventHandler } from 'h3';
import { PULSE } from '../../core/vocabulary/limits';
import { follow } from '../utils/feed';

/** Server-sent events: each change of a song or of the Desk, as `Announced`, for as long as somebody listens. */
export default defineEventHandler((event) => {
  const stream = createEventStream(event);
  const end = follow((what) => void stream.push(JSON.stringify(what)).catch(() => {}));
  const pulse = setInterval(() => void stream.push({ event: 'pulse', data: '' }).catch(() => {}), PULSE);
  stream.onClosed(() => {
    end();
    clearInterval(pulse);
  });
  return stream.send();
});
