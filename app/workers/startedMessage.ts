/** First message of a worker, which says that its script runs. Any other message says so too. */
export const STARTED = 'started';
