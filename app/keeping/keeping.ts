import { proxy, wrap } from 'comlink';
import { defineStore } from 'pinia';
import { computed, ref } from 'vue';
import KeeperWorker from '~/keeping/keeper.worker.ts?worker';
import { useNotices } from '~/notices/notices';
import { gatherer } from './gather';
import type { Keeper, Said } from './keeper';
import type { Keeping } from './outbox';
import type { Errand } from './store';
import type { BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';

/** The keeper, in its worker, as the page talks to it: what is handed over is kept in the order of the calls. */
export const useKeeping = defineStore('keeping', () => {
  const notices = useNotices();
  /** What the keeper said last. */
  const said = ref<Keeping>('kept');
  /** How many errands are on their way to the keeper. */
  const handing = ref(0);
  const state = computed((): Keeping => (said.value === 'kept' && handing.value > 0 ? 'keeping' : said.value));
  const followers = new Set<(songId: string) => void>();

  const worker = new KeeperWorker();
  worker.addEventListener('error', () => {
    notices.say(
      'What you play would not be kept: a part of the program did not start. Load the page again before you play.',
    );
  });
  const keeper = wrap<Keeper>(worker);
  void keeper.listen(proxy(hear));

  function hear(word: Said): void {
    switch (word.type) {
      case 'state':
        said.value = word.state;
        return;
      case 'refused':
        notices.say(`The server would not keep something: ${word.reason} It stays out; everything else was kept.`);
        return;
      case 'newer':
        sayNewer(word);
        for (const follow of followers) follow(word.songId);
    }
  }

  function sayNewer({ undos, failed }: Extract<Said, { type: 'newer' }>): void {
    const changed = 'This song was changed in another window.';
    if (undos > 0) notices.say(`${changed} An undo made here meanwhile was left out.`);
    for (const why of failed) notices.say(`${changed} One of yours could not be made on it: ${why} It was left out.`);
    if (undos === 0 && failed.length === 0) notices.say(`${changed} Both changes were kept.`, 'plain');
  }

  const gathered = gatherer((batch) => {
    keeper.write(batch).catch(() => {
      // What look-back holds is a help; a take is the work.
      if (batch.arrivals.length === 0) return;
      notices.say(
        'This browser will not keep what you play: its storage is full or switched off. ' +
          'End the take, make room, and go again.',
      );
    });
  });

  /** Hands something over to be kept, and says when the browser will not. */
  async function handOver(keep: () => Promise<unknown>): Promise<void> {
    gathered.flush();
    handing.value += 1;
    await keep().catch(() =>
      notices.say('This browser would not keep what was played. Free some disk space; what the server has is safe.'),
    );
    handing.value -= 1;
  }

  return {
    state,
    /** Whether something is on its way to the keeper. */
    isHanding: () => handing.value > 0,
    /** Told of a song that is newer at the server than it is here. */
    follow: (follower: (songId: string) => void) => void followers.add(follower),
    errand: (errand: Errand) => handOver(() => keeper.errand(errand)),
    /** An event of an open layer. */
    event: (songId: string, layerId: string, event: LayerEvent) => gathered.event(songId, layerId, event),
    /** The last errand of a layer: all of its events go ahead of it. */
    finish: (layerId: string, errand: Errand) => handOver(() => keeper.finish(layerId, errand)),
    /** The events of a layer that is whole already. */
    events: (songId: string, layerId: string, events: readonly LayerEvent[]) =>
      handOver(() => keeper.events(songId, layerId, events)),
    /** Events that look-back holds. */
    hold: gathered.hold,
    readBuffer: () => keeper.readBuffer(),
    trimBuffer: (events: readonly BufferedEvent[]) => keeper.trimBuffer(events),
    forgetBuffer: () => keeper.forgetBuffer(),
    /** Sends the last events of a layer whose pass was cut off. */
    rescue: (layerId: string) => keeper.rescue(layerId),
    /** Sends what this browser still holds from an earlier visit. */
    carry: () => keeper.carry(),
  };
});
