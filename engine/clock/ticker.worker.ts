/** A timer that a hidden page does not slow down. */
const EVERY_MS = 10;
setInterval(() => postMessage(0), EVERY_MS);
