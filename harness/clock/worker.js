/**
 * Runs in a worker before the worker's own script: its timers and clocks go by what the page's stand-in says.
 * `BEGINS` (milliseconds) and `EPOCH` (milliseconds since 1970) are put in front of this text.
 */
/* global BEGINS, EPOCH */
(() => {
  let now = BEGINS;
  let last = 0;
  /** Timers by id: when they are due, how often they repeat, and what they call. */
  const timers = new Map();
  const due = () => Math.min(Infinity, ...[...timers.values()].map((timer) => timer.due));
  const add = (call, delay, every, args) => {
    last += 1;
    timers.set(last, { due: now + Math.max(1, delay || 0), every, call, args });
    return last;
  };
  self.setTimeout = (call, delay, ...args) => add(call, delay, null, args);
  self.setInterval = (call, delay, ...args) => add(call, delay, Math.max(1, delay || 0), args);
  self.clearTimeout = self.clearInterval = (id) => void timers.delete(id);
  performance.now = () => now;
  const RealDate = Date;
  self.Date = class extends RealDate {
    constructor(...given) {
      super(...(given.length ? given : [EPOCH + now]));
    }
    static now() {
      return EPOCH + now;
    }
  };
  const runDue = () => {
    for (;;) {
      const [id, timer] = [...timers].sort(([a, x], [b, y]) => x.due - y.due || a - b)[0] ?? [];
      if (!timer || timer.due > now) return;
      if (timer.every === null) timers.delete(id);
      else timer.due += timer.every;
      timer.call(...timer.args);
    }
  };
  self.addEventListener('message', (event) => {
    const { data } = event;
    if (data?.standIn !== 'time') return;
    event.stopImmediatePropagation();
    now = data.now;
    runDue();
    if (data.ask) self.postMessage({ standIn: 'done', due: due() });
  });
})();
