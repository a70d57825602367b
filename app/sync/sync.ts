import { proxy, transfer, wrap } from 'comlink';
import { defineStore } from 'pinia';
import { computed, ref, shallowRef } from 'vue';
import KeeperWorker from '~/sync/keeper.worker.ts?worker';
import { useNotices } from '~/notices/notices';
import { SureWorker } from '~/workers/sureWorker';
import { gatherer } from './pageBatches';
import type { Keeper, Said } from './keeper';
import type { SyncState } from './outbox';
import { parkedWords } from './refusedRequests';
import type { FeedWord } from './feed';
import type { QueuedRequest, Parked } from './store';
import type { BufferedEvent } from '~~/core/lookback/buffer';
import type { LayerEvent } from '~~/core/takes/layer';

/** The keeper, in its worker, as the page talks to it: what is handed over is kept in the order of the calls. */
export const useSync = defineStore('sync', () => {
  const notices = useNotices();
  /** State that the keeper said last. */
  const said = ref<SyncState>('kept');
  /** Number of requests on their way to the keeper. */
  const handing = ref(0);
  const state = computed((): SyncState => (said.value === 'kept' && handing.value > 0 ? 'keeping' : said.value));
  const followers = new Set<(songId: string) => void>();
  const closedFollowers = new Set<(layerId: string) => void>();
  const feedFollowers = new Set<(what: FeedWord) => void>();
  /** Requests that the server refused, until the player has decided about them. */
  const parked = shallowRef<readonly Parked[]>([]);
  let readingParked = false;
  let readAgain = false;
  /** The browser's storage takes nothing: what is not at the server yet is in this window alone. */
  const atRisk = ref(false);

  const worker = new SureWorker(() => new KeeperWorker());
  const about = 'keeper';
  // What is handed over meanwhile waits in this window.
  worker.addEventListener('late', () => {
    said.value = 'keeping';
    atRisk.value = true;
    notices.say(
      'The part of the program that keeps what you play did not come from the server. It is asked for again by ' +
        'itself; until it is there, leave this window open.',
      'attention',
      { about },
    );
  });
  worker.addEventListener('started', () => {
    if (!atRisk.value) return;
    atRisk.value = false;
    notices.unsay(about);
    // How things stand it says itself.
    void keeper.carry();
  });
  worker.addEventListener('error', () =>
    notices.say('Something went wrong where what you play is kept. End the take, and load the page again.'),
  );
  const keeper = wrap<Keeper>(worker);
  void keeper.listen(proxy(hear));
  void readParked();
  // Storage that was asked for is not cleared when the disk runs short.
  void navigator.storage?.persist?.().catch(() => false);

  function hear(word: Said): void {
    switch (word.type) {
      case 'state':
        said.value = word.state;
        sayTrouble(word.why);
        return;
      case 'risk':
        sayRisk(word.atRisk);
        return;
      case 'refused':
        void readParked();
        notices.say(
          `${parkedWords(word.parked)} ${word.parked.reason} It lies in this browser, whole: see “Not kept”, above.`,
          'attention',
          { about: word.parked.id },
        );
        for (const follow of followers) follow(word.parked.songId);
        return;
      case 'closed':
        for (const follow of closedFollowers) follow(word.layerId);
        return;
      case 'newer':
        sayNewer(word);
        for (const follow of followers) follow(word.songId);
        return;
      case 'feed':
        for (const told of feedFollowers) told(word.changed);
    }
  }

  /** The server's words for what stands in the way, said once; unsaid when it is over. */
  let trouble = '';
  function sayTrouble(why: string): void {
    // While something is sent once more, it is not over.
    if (why === trouble || said.value === 'keeping') return;
    trouble = why;
    const about = 'server in trouble';
    if (why)
      notices.say(`${why} What you play and change lies in this browser, and is sent again by itself.`, 'attention', {
        about,
      });
    else notices.unsay(about);
  }

  function sayRisk(now: boolean): void {
    atRisk.value = now;
    if (now)
      notices.say(
        'This browser’s storage is full or switched off. What you play is sent to the server straight away; until it ' +
          'is there, do not close this window. Free some disk space.',
      );
  }

  /** Once at a time: a long pass is refused piece by piece. */
  async function readParked(): Promise<void> {
    readAgain = true;
    if (readingParked) return;
    readingParked = true;
    while (readAgain) {
      readAgain = false;
      // The keeper says what it cannot read; what is shown stays.
      parked.value = await keeper.parked().catch(() => parked.value);
    }
    readingParked = false;
  }

  function sayNewer({ undos, failed }: Extract<Said, { type: 'newer' }>): void {
    const changed = 'This song was changed in another window.';
    if (undos > 0) notices.say(`${changed} An undo made here meanwhile was left out.`);
    // Of a change that could not be made on it, what was put aside says why.
    if (undos === 0 && failed.length === 0) notices.say(`${changed} Both changes were kept.`, 'plain');
  }

  let holdFailed = (): void => {};
  const gathered = gatherer((batch) => {
    keeper.write(batch).catch(() => {
      // What look-back holds is a help; a take is the work.
      if (batch.arrivals.length === 0) {
        holdFailed();
        return;
      }
      notices.say('What you play could not be handed over to be kept. End the take, and load the page again.');
    });
  });

  /** Hands something over to be kept, and says when the browser will not. */
  async function handOver(keep: () => Promise<unknown>): Promise<void> {
    gathered.flush();
    handing.value += 1;
    await keep().catch(() =>
      notices.say('Something could not be handed over to be kept. Load the page again before you go on.'),
    );
    handing.value -= 1;
  }

  return {
    state,
    /** True while something is on its way to the keeper. */
    isHanding: () => handing.value > 0,
    parked,
    atRisk,
    /** Sends what was refused once more. */
    tryAgain: (id: string) => keeper.tryAgain(id).finally(readParked),
    /** Requests that were refused of one pass, or of a song's changes; and their sound, as WAV files. */
    parkedRequests: (id: string) => keeper.parkedRequests(id),
    parkedSound: (id: string, at: string) => keeper.parkedSound(id, at),
    /** Discarding of a refused request. */
    letGo: (id: string) => keeper.letGo(id).finally(readParked),
    /** Requests of a song that are on its way to the server. */
    waiting: (songId: string) => keeper.waiting(songId),
    /** Told of each change that anybody makes at the server. */
    followFeed: (follower: (what: FeedWord) => void) => void feedFollowers.add(follower),
    /** Told of a song that is newer at the server than it is here. */
    follow: (follower: (songId: string) => void) => void followers.add(follower),
    /** Told of a layer of this browser that another one has closed. */
    followClosed: (follower: (layerId: string) => void) => void closedFollowers.add(follower),
    /** Drops the requests of a layer of which all is in another one. */
    forget: (songId: string, layerId: string) => handOver(() => keeper.forget(songId, layerId)),
    enqueue: (request: QueuedRequest) => handOver(() => keeper.enqueue(request)),
    /** The first request of a layer that is recorded from here on. */
    begin: (layerId: string, request: QueuedRequest) => handOver(() => keeper.begin(layerId, request)),
    /** An event of an open layer. */
    event: (songId: string, layerId: string, event: LayerEvent) => gathered.event(songId, layerId, event),
    /** The last request of a layer: all of its events go ahead of it. */
    finish: (layerId: string, request: QueuedRequest) => handOver(() => keeper.finish(layerId, request)),
    /** An outside instrument's sound comes by a port, straight from the audio thread. */
    capture: (recordingId: string, port: MessagePort, rate: number, channels: number) =>
      handOver(() => keeper.capture(recordingId, transfer(port, [port]), rate, channels)),
    /** It is kept from here on, and what was held of it. */
    openRecording: (recordingId: string, opening: QueuedRequest) =>
      handOver(() => keeper.openRecording(recordingId, opening)),
    closeRecording: (recordingId: string, closing: QueuedRequest) =>
      handOver(() => keeper.closeRecording(recordingId, closing)),
    /** The events of a layer that is whole already. */
    events: (songId: string, layerId: string, events: readonly LayerEvent[], pass?: string) =>
      handOver(() => keeper.events(songId, layerId, events, pass)),
    /** Events that look-back holds. */
    hold: gathered.hold,
    /** Told when what look-back holds could not be written. */
    onHoldFailed: (told: () => void) => {
      holdFailed = told;
    },
    /** @param own this window: what others have written is put together under it */
    readBuffer: (own: string) => keeper.readBuffer(own),
    trimBuffer: (events: readonly BufferedEvent[]) => keeper.trimBuffer(events),
    forgetBuffer: () => keeper.forgetBuffer(),
    /** Sends the last events of a layer whose pass was cut off. */
    rescue: (layerId: string) => keeper.rescue(layerId),
    /** Sends what this browser still holds from an earlier visit. */
    carry: () => keeper.carry(),
  };
});
