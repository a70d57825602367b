/**
 * Runs in a page before the page's own scripts: a stand-in for the audio device and for the page's time, both on one
 * clock that a test moves. `WORKER` (the text of worker.js), `BEGINS` and `EPOCH` (milliseconds), and of the device
 * `RATE` (frames a second), `LONGEST_SECONDS` (a page that is left open longer has no sound any more) and `STEP_MS` (as
 * far as the clock goes at one stroke) are put in front of this text.
 *
 * The device is a rendering that is suspended, told, and resumed: whatever a test moves the clock by, the audio thread
 * has rendered just the quanta of that time, with everything that was said to it before.
 */
/* global BEGINS, EPOCH, LONGEST_SECONDS, RATE, STEP_MS, WORKER */
(() => {
  const QUANTUM = 128;
  /** A slow screen: what is drawn is not what is tried here. */
  const FRAME_MS = 50;
  const real = {
    setTimeout: window.setTimeout.bind(window),
    setInterval: window.setInterval.bind(window),
    now: performance.now.bind(performance),
    Date,
    Worker,
    timeStamp: Object.getOwnPropertyDescriptor(Event.prototype, 'timeStamp').get,
  };
  let now = BEGINS;

  // ---- what the device does that it should not
  const device = {
    /** Seconds from rendering to the ear. */
    output: 0,
    /** Audio seconds for each page second. */
    speed: 1,
    /** When it runs dry, in page time, and for how many milliseconds. */
    dry: [],
  };
  /** Seconds that the device has rendered between two page times. */
  const rendered = (from, to) => {
    const lost = device.dry.reduce((sum, d) => sum + Math.max(0, Math.min(to, d.at + d.for) - Math.max(from, d.at)), 0);
    return ((to - from - lost) / 1000) * device.speed;
  };
  /** When the page's thread does nothing, in page time, and for how many milliseconds. */
  const busy = [];
  const busyUntil = (at) =>
    busy.reduce((until, b) => (at >= b.at && at < b.at + b.for ? Math.max(until, b.at + b.for) : until), at);

  // ---- the device
  const contexts = new Set();
  window.AudioContext = class AudioContext extends OfflineAudioContext {
    #state = 'running';
    #opens = false;
    /** The page time at which it began to render; null before. */
    #begins = null;
    #frames = 0;
    #bus;
    #tap;
    #heard = null;
    constructor({ sampleRate = RATE } = {}) {
      super({ numberOfChannels: 2, length: LONGEST_SECONDS * sampleRate, sampleRate });
      this.#bus = new GainNode(this);
      this.#bus.connect(super.destination);
      this.#tap = new AnalyserNode(this, { fftSize: 2048 });
      this.#bus.connect(this.#tap);
      const add = this.audioWorklet.addModule.bind(this.audioWorklet);
      // A rendering cannot take in its first worklet once it goes on: the device opens when the worklet is there.
      this.audioWorklet.addModule = async (...given) => {
        await add(...given);
        await this.#open();
      };
      contexts.add(this);
    }
    async #open() {
      if (this.#opens) return;
      this.#opens = true;
      const stops = super.suspend(QUANTUM / 2 / this.sampleRate);
      void super.startRendering();
      await stops;
      this.#frames = QUANTUM;
      this.#begins = now;
    }
    get destination() {
      return this.#bus ?? super.destination;
    }
    get state() {
      return this.#state;
    }
    get outputLatency() {
      return device.output;
    }
    get baseLatency() {
      return QUANTUM / this.sampleRate;
    }
    #say(state) {
      if (this.#state === state) return;
      this.#state = state;
      this.dispatchEvent(new Event('statechange'));
    }
    async resume() {
      this.#say('running');
    }
    async suspend() {
      this.#say('suspended');
    }
    async close() {
      this.#say('closed');
      contexts.delete(this);
    }
    getOutputTimestamp() {
      const contextTime = this.#begins === null ? 0 : Math.max(0, this.#at(now) - device.output);
      return { contextTime, performanceTime: contextTime ? now : 0 };
    }
    #paused = 0;
    #at(page) {
      return this.#begins === null ? 0 : rendered(this.#begins, page) - this.#paused;
    }
    /** Lets the audio thread render up to a page time. */
    async render(from, to) {
      if (this.#begins === null) return;
      if (this.#state !== 'running') {
        this.#paused += rendered(from, to);
        return;
      }
      const frames = Math.floor((this.#at(to) * this.sampleRate) / QUANTUM + 1e-6) * QUANTUM;
      while (this.#frames < frames) {
        // What is listened to is taken off the tap before it is overwritten.
        const until = this.#heard ? Math.min(frames, this.#frames + 2048) : frames;
        // Asked for between two quanta, it stops at the next: no rounding can put it past that.
        const stops = super.suspend((until - QUANTUM / 2) / this.sampleRate);
        await super.resume();
        await stops;
        if (this.#heard) {
          const samples = new Float32Array(2048);
          this.#tap.getFloatTimeDomainData(samples);
          this.#heard.pieces.push(samples.slice(2048 - (until - this.#frames)));
        }
        this.#frames = until;
      }
    }
    listen() {
      this.#heard = { from: this.#frames, pieces: [] };
    }
    get heard() {
      return this.#heard;
    }
    /** The page time at which an audio time is rendered, in milliseconds. */
    pageTimeOf(seconds) {
      let page = this.#begins + ((seconds + this.#paused) * 1000) / device.speed;
      for (const { at, for: length } of [...device.dry].sort((a, b) => a.at - b.at))
        if (at > this.#begins && page > at) page += length;
      return page;
    }
  };

  // ---- the page's time
  performance.now = () => now;
  Object.defineProperty(performance, 'timeOrigin', { value: EPOCH });
  window.Date = class Date extends real.Date {
    constructor(...given) {
      super(...(given.length ? given : [EPOCH + now]));
    }
    static now() {
      return EPOCH + now;
    }
  };
  const stamps = new WeakMap();
  Object.defineProperty(Event.prototype, 'timeStamp', {
    configurable: true,
    get() {
      if (!stamps.has(this)) stamps.set(this, now);
      return stamps.get(this);
    },
  });
  let last = 0;
  const timers = new Map();
  const add = (call, delay, every, args) => {
    last += 1;
    const id = last;
    if (!(delay > 0) && every === null) {
      // What only wants its turn gets it at once.
      timers.set(id, { due: Infinity });
      real.setTimeout(() => {
        if (timers.delete(id)) call(...args);
      });
    } else timers.set(id, { due: now + Math.max(1, delay || 0), every, call, args });
    return id;
  };
  window.setTimeout = (call, delay, ...args) => add(call, delay, null, args);
  window.setInterval = (call, delay, ...args) => add(call, delay, Math.max(1, delay || 0), args);
  window.clearTimeout = window.clearInterval = (id) => void timers.delete(id);
  let nextFrame = now + FRAME_MS;
  let frames = new Map();
  window.requestAnimationFrame = (call) => {
    last += 1;
    frames.set(last, call);
    return last;
  };
  window.cancelAnimationFrame = (id) => void frames.delete(id);

  // ---- workers, whose timers follow
  const workers = new Set();
  const script = (text) => URL.createObjectURL(new Blob([text], { type: 'text/javascript' }));
  window.Worker = class Worker extends real.Worker {
    #done = () => {};
    due = 0;
    constructor(url, options) {
      const address = new URL(url, location.href).href;
      const before = script(
        `const BEGINS = ${now}; const EPOCH = ${EPOCH};\n${WORKER}\n` +
          // Seen from a script that has no address, addresses have to be whole.
          `{ const own = self.fetch; self.fetch = (path, given) => own(typeof path === 'string' ? new ` +
          `URL(path, ${JSON.stringify(address)}).href : path, given); }`,
      );
      // Both are there before the first message is: what is sent to a worker waits for its own script only.
      const both = [before, address].map((each) => JSON.stringify(each));
      super(
        script(
          options?.type === 'module' ? both.map((each) => `import ${each};`).join('') : `importScripts(${both.join()})`,
        ),
        options,
      );
      this.addEventListener('message', (event) => {
        if (event.data?.standIn !== 'done') return;
        event.stopImmediatePropagation();
        this.due = event.data.due;
        this.#done();
      });
      workers.add(this);
    }
    terminate() {
      workers.delete(this);
      this.#done();
      super.terminate();
    }
    /** Tells the time, and waits for what was due where something was. */
    async tell(at) {
      if (this.due > at) {
        this.postMessage({ standIn: 'time', now: at });
        return;
      }
      const done = new Promise((resolve) => {
        this.#done = resolve;
      });
      this.postMessage({ standIn: 'time', now: at, ask: true });
      await done;
    }
    /** Asks what is due, now and then: it may have set a timer since it was last asked. */
    forget() {
      this.due = 0;
    }
  };

  /** Lets everything that waits for nothing but its turn have it. */
  const turn = () =>
    new Promise((done) => {
      const channel = new MessageChannel();
      channel.port1.onmessage = () => {
        channel.port1.close();
        done();
      };
      channel.port2.postMessage(0);
    });

  const runDue = () => {
    for (;;) {
      let first;
      for (const [id, timer] of timers)
        if (timer.due <= now && (!first || timer.due < first[1].due)) first = [id, timer];
      if (!first) return;
      const [id, timer] = first;
      if (timer.every === null) timers.delete(id);
      else while (timer.due <= now) timer.due += timer.every;
      timer.call(...timer.args);
    }
  };
  const runFrame = () => {
    if (now < nextFrame - 1e-6) return;
    while (nextFrame <= now + 1e-6) nextFrame += FRAME_MS;
    const due = frames;
    frames = new Map();
    for (const call of due.values()) call(now);
  };

  // At one stroke it goes no further than this: a worker's timer may become due in between.
  let steps = 0;
  async function stepTo(target) {
    const wanted = Math.min(
      target,
      now + STEP_MS,
      nextFrame,
      ...[...timers.values()].map((timer) => timer.due),
      ...[...workers].map((worker) => Math.max(now + 0.1, worker.due)),
    );
    // A thread that is busy lets nothing happen until it is free again; the audio goes on.
    const next = busyUntil(Math.max(now, wanted));
    await Promise.all([...contexts].map((context) => context.render(now, next)));
    now = next;
    steps += 1;
    if (steps % 4 === 0) workers.forEach((worker) => worker.forget());
    await Promise.all([...workers].map((worker) => worker.tell(now)));
    runDue();
    runFrame();
    await turn();
  }

  let moving = Promise.resolve();
  /** Moves the clock to a page time. */
  const moveTo = (target) => {
    moving = moving.then(async () => {
      while (now < target) await stepTo(target);
    });
    return moving;
  };

  /** Moves on, a little at a time, until something in the page is so; says whether it came to be. */
  const until = async (what, patience) => {
    for (const end = now + patience; !what(); await moveTo(now + STEP_MS)) if (now > end) return false;
    return true;
  };

  // ---- by itself the clock goes with the machine's, and never faster
  let held = false;
  let before = real.now();
  const MOST_MS = 40;
  const follow = () => {
    const at = real.now();
    const by = Math.min(MOST_MS, at - before);
    before = at;
    if (held || by <= 0) real.setTimeout(follow, 4);
    else
      void moveTo(now + by).then(() => {
        real.setTimeout(follow, 4);
      });
  };
  real.setTimeout(follow, 4);

  window.standIn = {
    device,
    busy,
    now: () => now,
    moveTo,
    until,
    /** Stops the clock; resolves when it stands. */
    hold: () => {
      held = true;
      return moving;
    },
    free: () => {
      held = false;
    },
    /** Something that happens at a page time. */
    at: (page, call) => {
      timers.set((last += 1), { due: page, every: null, call, args: [] });
    },
    stamp: (event, at) => {
      stamps.set(event, at);
    },
    context: () => [...contexts][0],
    contexts,
  };
})();
