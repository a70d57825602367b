import { afterEach, describe, expect, it, vi } from 'vitest';

/** Requests that were sent, each answered by hand. */
async function serverByHand() {
  const asked: { body: unknown; answer: (response: Response) => void }[] = [];
  const gone: (() => void)[] = [];
  vi.stubGlobal('addEventListener', (_: string, handler: () => void) => gone.push(handler));
  vi.stubGlobal('fetch', (_: string, { body, keepalive }: RequestInit) => {
    expect(keepalive).toBe(true);
    return new Promise((answer) => asked.push({ body: JSON.parse(String(body)), answer }));
  });
  vi.resetModules();
  const { askInTurn } = await import('./inTurn');
  return {
    asked,
    askInTurn,
    leave: () => gone.forEach((handler) => handler()),
    bodies: () => asked.map((a) => a.body),
  };
}
const settled = () => new Promise((done) => setTimeout(done));
afterEach(() => vi.unstubAllGlobals());

describe('settings that are sent', () => {
  it('go one after the other on a path, also after one that failed, and beside those of another', async () => {
    const { asked, askInTurn, bodies } = await serverByHand();
    const first = askInTurn('/a', { x: 1 });
    const second = askInTurn('/a', { x: 2 });
    void askInTurn('/b', { y: 1 });
    await settled();
    expect(bodies()).toEqual([{ x: 1 }, { y: 1 }]);
    asked[0]!.answer(new Response('{"message":"No."}', { status: 500 }));
    await expect(first).rejects.toThrow('No.');
    await settled();
    expect(bodies()).toEqual([{ x: 1 }, { y: 1 }, { x: 2 }]);
    asked[2]!.answer(new Response('{"x":2}'));
    expect(await second).toEqual({ x: 2 });
  });

  it('are all with the browser once the page goes, each a single time', async () => {
    const { asked, askInTurn, bodies, leave } = await serverByHand();
    const all = [1, 2, 3].map((x) => askInTurn('/a', { x }));
    await settled();
    expect(bodies()).toEqual([{ x: 1 }]);
    leave();
    expect(bodies()).toEqual([{ x: 1 }, { x: 2 }, { x: 3 }]);
    asked.forEach((a, i) => a.answer(new Response(JSON.stringify(i))));
    expect(await Promise.all(all)).toEqual([0, 1, 2]);
    expect(asked).toHaveLength(3);
  });
});
