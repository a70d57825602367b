import { describe, expect, it } from 'vitest';
import { benchKeyboardPort } from './benchKeyboard';
import { computerKey, handPort } from './hand';
import type { KeyEvent } from './port';

/** A page whose time is moved by hand. */
function page() {
  let now = 0;
  const ticks = new Set<() => void>();
  return {
    now: () => now,
    ticker: (callback: () => void) => {
      ticks.add(callback);
      return () => ticks.delete(callback);
    },
    run(until: number) {
      for (; now <= until; now += 10) [...ticks].forEach((tick) => tick());
    },
    get ticking() {
      return ticks.size;
    },
  };
}
const press = (at: number, key: number, on = true) => ({ at, data: on ? [0x90, key, 80] : [0x80, key, 64] });
const ms = (seconds: number) => seconds * 1000;

describe('the Bench keyboard', () => {
  it('stamps each note with its own time, however late the page gets to it', () => {
    const p = page();
    const bench = benchKeyboardPort(p.ticker, p.now);
    const heard: (KeyEvent & { when: number })[] = [];
    bench.lateness = 40;
    bench.listen((event) => heard.push({ ...event, when: p.now() }));
    bench.perform([press(0.1, 60), press(0.105, 64), press(0.3, 60, false)], ms);
    p.run(500);
    expect(heard.map((e) => e.timeStamp).slice(0, 5)).toEqual(
      heard
        .map((e) => e.timeStamp)
        .slice(0, 5)
        .sort((a, b) => a - b),
    );
    expect(heard.filter((e) => e.timeStamp > 0).map((e) => e.timeStamp)).toEqual([100, 105, 300]);
    expect(heard.every((e) => e.when >= e.timeStamp && e.when <= e.timeStamp + 70)).toBe(true);
  });

  it('goes on lap after lap until it is stopped, each as it is played then', () => {
    const p = page();
    const bench = benchKeyboardPort(p.ticker, p.now);
    const heard: number[][] = [];
    bench.listen((e) => {
      if (e.data[0] === 0x90) heard.push([e.timeStamp, e.data[1]!]);
    });
    // A lap is a second; each begins with a note ahead of its lap boundary.
    const lap = (n: number) => [press(n - 0.05, 60 + n), press(n + 0.95, 60 + n, false), press(n + 0.5, 40)];
    bench.perform(lap(0), ms, lap);
    p.run(3400);
    const laps = [0, 1, 2, 3].flatMap((n) => [
      [1000 * n - 50, 60 + n],
      [1000 * n + 500, 40],
    ]);
    expect(heard).toEqual(laps.filter(([at]) => at! <= 3400));
    bench.stop();
    const before = heard.length;
    p.run(6000);
    expect(heard).toHaveLength(before);
    expect(p.ticking).toBe(0);
  });

  it('follows its clock when that moves', () => {
    const p = page();
    const bench = benchKeyboardPort(p.ticker, p.now);
    const heard: number[] = [];
    let lost = 0;
    bench.listen((e) => {
      if (e.data[0] === 0x90) heard.push(e.timeStamp);
    });
    bench.perform([press(0.1, 60), press(0.2, 62)], (at) => at * 1000 + lost);
    p.run(150);
    lost = 50;
    p.run(400);
    expect(heard).toEqual([100, 250]);
  });

  it('releases what it holds when it is stopped, and rests', () => {
    const p = page();
    const bench = benchKeyboardPort(p.ticker, p.now);
    const heard: number[][] = [];
    bench.listen((e) => heard.push([...Array.from(e.data)]));
    bench.perform([press(0.1, 60), press(5, 60, false)], ms);
    p.run(200);
    bench.stop();
    expect(heard.slice(-2)).toEqual([
      [0x80, 60, 64],
      [0xb0, 64, 0],
    ]);
    p.run(300);
    expect(p.ticking).toBe(0);
  });
});

describe('keyboards played by hand', () => {
  it('send to whoever listens, and to nobody after', () => {
    const port = handPort('screen', 'Keys on screen', 'screen');
    const heard: number[][] = [];
    const stop = port.listen((e) => heard.push([...Array.from(e.data), e.timeStamp]));
    port.down(60, 90, 5);
    port.up(60, 6);
    port.pedal(true, 7);
    stop();
    port.down(61, 90, 8);
    expect(heard).toEqual([
      [0x90, 60, 90, 5],
      [0x80, 60, 64, 6],
      [0xb0, 64, 127, 7],
    ]);
  });

  it('lay the piano on two rows of computer keys', () => {
    expect(['KeyA', 'KeyW', 'KeyK', 'Quote', 'KeyQ'].map((c) => computerKey(c, 4))).toEqual([
      60,
      61,
      72,
      77,
      undefined,
    ]);
  });
});
