import { afterAll, beforeAll } from 'vitest';
import type { Browser } from 'playwright-core';
import { launch } from './browser';
import { startServer, type Running } from './server';

/** Browser and server shared by the tests of one file; unset outside them. */
export interface Trial {
  readonly browser: Browser;
  readonly server: Running;
}

/** Browser and server for the tests of this file, started before and stopped after them. */
export function trial(demo = false): Trial {
  let browser: Browser;
  let server: Running;
  const begin = async () => {
    server = await startServer(demo);
    browser = await launch();
  };
  const end = async () => {
    await browser.close();
    await server.end();
  };
  beforeAll(begin);
  afterAll(end);
  return {
    get browser() {
      return browser;
    },
    get server() {
      return server;
    },
  };
}
