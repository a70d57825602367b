import { chromium, type Browser, type BrowserContext, type Locator, type Page } from 'playwright-core';

const CHROMIUM = process.env.CHROMIUM ?? '/usr/bin/chromium';

const FLAGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-quic',
  '--no-first-run',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
];
/** Flag that lets sound start without a gesture, as browsers allow for pages used before. */
const SOUND_AT_ONCE = '--autoplay-policy=no-user-gesture-required';

/** @param more flags besides the usual ones */
export const launch = (more: readonly string[] = []): Promise<Browser> =>
  chromium.launch({ executablePath: CHROMIUM, headless: true, args: [...FLAGS, SOUND_AT_ONCE, ...more] });

/** Browser that needs a gesture before sound starts. */
export const launchStrict = (): Promise<Browser> =>
  chromium.launch({ executablePath: CHROMIUM, headless: true, args: FLAGS, ignoreDefaultArgs: [SOUND_AT_ONCE] });

/** Browser that can be killed as by a crash. */
export async function launchMortal(): Promise<{ browser: Browser; kill: () => Promise<void> }> {
  const server = await chromium.launchServer({
    executablePath: CHROMIUM,
    headless: true,
    args: [...FLAGS, SOUND_AT_ONCE],
  });
  return { browser: await chromium.connect(server.wsEndpoint()), kill: () => server.kill() };
}

const PATIENCE_MS = 90_000;

export interface Opened {
  readonly context: BrowserContext;
  readonly page: Page;
  /** Requests to other servers than the page's own. */
  readonly outside: string[];
  /** Uncaught errors, and errors on the console. */
  readonly errors: string[];
}

/** Failed requests are the server's errors, which many tests are about. */
const OF_REQUESTS = /^Failed to load resource/;

/** Collects errors of the page, uncaught and on the console. */
function watchErrors(page: Page, errors: string[]): void {
  page.on('pageerror', (error) => errors.push(error.message));
  page.on('console', (message) => {
    if (message.type() === 'error' && !OF_REQUESTS.test(message.text())) errors.push(message.text());
  });
}

/** Resolves after two frames and what they start. */
export const settled = (page: Page): Promise<unknown> =>
  page.evaluate('new Promise((done) => requestAnimationFrame(() => requestAnimationFrame(() => setTimeout(done))))');

/** `tallKettle`: the page's stores, for what no screen shows: the anchor of the clocks, the engine, the Bench. */
const INSIDES = `{
  const store = (id) => document.querySelector('#__nuxt').__vue_app__.config.globalProperties.$pinia._s.get(id);
  window.tallKettle = {
    get bench() { return store('keyboards').bench; },
    get lookBack() { return store('lookback'); },
    engine: () => store('sound').engine,
    anchor: () => store('roll').anchorNow(),
    document: () => store('song').document,
    revision: () => store('song').revision,
  };
}`;

/** Opens a page whose errors and requests are collected. */
export async function open(
  browser: Browser,
  address: string,
  path = '/',
  init?: (context: BrowserContext) => Promise<void>,
): Promise<Opened> {
  const context = await browser.newContext({ viewport: { width: 1280, height: 800 }, baseURL: address });
  // Long timeouts, as the machine may be busy.
  context.setDefaultTimeout(PATIENCE_MS);
  await context.addInitScript(INSIDES);
  await init?.(context);
  const page = await context.newPage();
  const outside: string[] = [];
  const errors: string[] = [];
  page.on('request', (request) => {
    const url = request.url();
    if (!url.startsWith(address) && !/^(data|blob|about):/.test(url)) outside.push(url);
  });
  watchErrors(page, errors);
  await page.goto(path);
  return { context, page, outside, errors };
}

/**
 * Simulated plugged-in keyboard at the browser's own interface: `midiSend(bytes)` sends a message; `midiHears` tells
 * that somebody listens.
 */
const PLUG_IN_KEYBOARD = `{
  const input = Object.assign(new EventTarget(), {
    id: 'stand-in', name: 'Stage keyboard', type: 'input', state: 'connected',
    open: async () => input, close: async () => input,
  });
  const listen = input.addEventListener.bind(input);
  input.addEventListener = (...given) => { listen(...given); window.midiHears = true; };
  window.midiHeard = [];
  window.midiSentAt = [];
  const send = (data, at = performance.now()) => {
    window.midiHeard.push([...data]);
    window.midiSentAt.push({ bytes: [...data], at });
  };
  const output = { id: 'outside', name: 'Rack organ', type: 'output', state: 'connected', send };
  const ports = { inputs: new Map([[input.id, input]]), outputs: new Map([[output.id, output]]) };
  const access = Object.assign(new EventTarget(), ports);
  navigator.requestMIDIAccess = async () => access;
  window.midiSend = (bytes, stamp = performance.now()) => {
    const event = new Event('midimessage');
    Object.defineProperties(event, { data: { value: Uint8Array.from(bytes) }, timeStamp: { value: stamp } });
    input.dispatchEvent(event);
  };
  window.midiUnplug = () => {
    input.state = 'disconnected';
    access.dispatchEvent(new Event('statechange'));
  };
}`;

export const withKeyboard = async (context: BrowserContext): Promise<void> => {
  await context.addInitScript(PLUG_IN_KEYBOARD);
};

export const footplate = (page: Page): Locator => page.getByRole('region', { name: 'Footplate' });

/** Presses Record on the footplate; other buttons begin with the same word. */
export const pressRecord = (page: Page): Promise<void> =>
  footplate(page)
    .getByRole('button', { name: /^Record/ })
    .click();

/** Selects from a list that opens. */
export async function choose(page: Page, label: string, title: string): Promise<void> {
  // The field's input is covered by its label.
  const field = page.getByRole('combobox', { name: label, exact: true });
  await page.locator('.v-field', { has: field }).click();
  await page.getByRole('option', { name: title, exact: true }).click();
  await page.getByRole('option').first().waitFor({ state: 'detached' });
}
/** Waits for a state on the footplate. */
export const state = (page: Page, words: string): Promise<void> =>
  footplate(page).getByText(words, { exact: true }).waitFor();
