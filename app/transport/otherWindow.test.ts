import { createPinia, setActivePinia } from 'pinia';
import { describe, expect, it, vi } from 'vitest';
import { useOtherWindow } from './otherWindow';

/** Web Locks, as far as they are used: one name, held for as long as its work is not done. */
function locks() {
  let held = false;
  const line: (() => void)[] = [];
  return {
    async request(_name: string, ...given: unknown[]): Promise<unknown> {
      const work = given.at(-1) as (lock: object | null) => unknown;
      const { ifAvailable = false } = given.length > 1 ? (given[0] as LockOptions) : {};
      await Promise.resolve();
      if (held && ifAvailable) return work(null);
      while (held) await new Promise<void>((next) => line.push(next));
      held = true;
      try {
        return await work({});
      } finally {
        held = false;
        line.splice(0).forEach((next) => next());
      }
    },
  };
}

// All windows of this file share it: those of an earlier test go on listening.
vi.stubGlobal('navigator', { locks: locks() });
const windowOfBrowser = () => {
  setActivePinia(createPinia());
  return useOtherWindow();
};

describe('one of several windows', () => {
  it('records; asked twice at once it is one asking, and again right after it ended it records again', async () => {
    const here = windowOfBrowser();
    expect(await Promise.all([here.claim('Reed Lane'), here.claim('Reed Lane')])).toEqual([true, true]);
    here.release();
    expect(await here.claim('Reed Lane')).toBe(true);
    here.release();
  });

  it('is refused while another records, told what, and let in once that one ends', async () => {
    const [here, there] = [windowOfBrowser(), windowOfBrowser()];
    expect(await here.claim('Reed Lane')).toBe(true);
    expect(await there.claim('Tern Island')).toBe(false);
    expect(there.records).toBe('“Reed Lane”');
    here.release();
    await vi.waitFor(() => expect(there.records).toBeNull());
    expect(await there.claim('Tern Island')).toBe(true);
    there.release();
  });
});
