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

/** The page's side of the keeper, which runs in a worker. Calls are carried out in order. */
export const useSync = defineStore('sync', () => {
  const notices = useNotices();
  /** State that the keeper reported last. */
  const said = ref<SyncState>('kept');
  /** Number of calls under way to the keeper. */
  const handing = ref(0);
  const state = computed((): SyncState => (said.value === 'kept' && handing.value > 0 ? 'keeping' : said.value));
  const followers = new Set<(songId: string) => void>();
  const closedFollowers = new Set<(layerId: string) => void>();
  const feedFollowers = new Set<(what: FeedWord) => void>();
  /** Refused requests that the player has not decided on. */
  const parked = shallowRef<readonly Parked[]>([]);
  let readingParked = false;
  let readAgain = false;
  /** True while the browser's storage takes nothing: unsent work is in this window alone. */
  const atRisk = ref(false);

  const worker = new SureWorker(() => new KeeperWorker());
  const about = 'keeper';
  // Calls made before the worker runs wait in this window.
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
    // The keeper reports its state by itself.
    void keeper.carry();
  });
  worker.addEventListener('error', () =>
    notices.say('Something went wrong where what you play is kept. End the take, and load the page again.'),
  );
  const keeper = wrap<Keeper>(worker);
  void keeper.listen(proxy(hear));
  void readParked();
  // Persistent storage is not cleared by the browser when the disk runs short.
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

  /** Trouble that was shown last, so that it is shown once; empty when it is over. */
  let trouble = '';
  function sayTrouble(why: string): void {
    // A retry is no end of the trouble.
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

  /** Reads one at a time, as a long pass is refused piece by piece. */
  async function readParked(): Promise<void> {
    readAgain = true;
    if (readingParked) return;
    readingParked = true;
    while (readAgain) {
      readAgain = false;
      // The keeper reports what it cannot read; the list stays as it is.
      parked.value = await keeper.parked().catch(() => parked.value);
    }
    readingParked = false;
  }

  function sayNewer({ undos, failed }: Extract<Said, { type: 'newer' }>): void {
    const changed = 'This song was changed in another window.';
    if (undos > 0) notices.say(`${changed} An undo made here meanwhile was left out.`);
    // Reasons for single changes are shown with what was set aside.
    if (undos === 0 && failed.length === 0) notices.say(`${changed} Both changes were kept.`, 'plain');
  }

  let holdFailed = (): void => {};
  const gathered = gatherer((batch) => {
    keeper.write(batch).catch(() => {
      // Losing look-back's events needs no alarm; losing events of a take does.
      if (batch.arrivals.length === 0) {
        holdFailed();
        return;
      }
      notices.say('What you play could not be handed over to be kept. End the take, and load the page again.');
    });
  });

  /** Hands something to the keeper, and says so where it cannot be kept. */
  async function handOver(keep: () => Promise<unknown>): Promise<void> {
    gathered.flush();
    handing.value += 1;
    await keep().catch(() =>
      notices.say('Something could not be saved in this browser. Load the page again before you go on.'),
    );
    handing.value -= 1;
  }

  return {
    state,
    /** True while a call to the keeper is under way. */
    isHanding: () => handing.value > 0,
    parked,
    atRisk,
    /** Sends refused requests once more. */
    tryAgain: (id: string) => keeper.tryAgain(id).finally(readParked),
    /** Refused requests of one pass, or of a song's changes; and their sound as WAV files. */
    parkedRequests: (id: string) => keeper.parkedRequests(id),
    parkedSound: (id: string, at: string) => keeper.parkedSound(id, at),
    /** Discards refused requests. */
    letGo: (id: string) => keeper.letGo(id).finally(readParked),
    /** Queued requests of a song. */
    waiting: (songId: string) => keeper.waiting(songId),
    /** Calls a follower with each change at the server. */
    followFeed: (follower: (what: FeedWord) => void) => void feedFollowers.add(follower),
    /** Calls a follower when the server's song is newer than the one here. */
    follow: (follower: (songId: string) => void) => void followers.add(follower),
    /** Calls a follower when another browser has closed a layer of this one. */
    followClosed: (follower: (layerId: string) => void) => void closedFollowers.add(follower),
    /** Drops the requests of a layer whose events are all in another layer. */
    forget: (songId: string, layerId: string) => handOver(() => keeper.forget(songId, layerId)),
    enqueue: (request: QueuedRequest) => handOver(() => keeper.enqueue(request)),
    /** Queues the first request of a layer that is about to be recorded. */
    begin: (layerId: string, request: QueuedRequest) => handOver(() => keeper.begin(layerId, request)),
    /** Keeps an event of an open layer. */
    event: (songId: string, layerId: string, event: LayerEvent) => gathered.event(songId, layerId, event),
    /** Queues the last request of a layer, behind all of its events. */
    finish: (layerId: string, request: QueuedRequest) => handOver(() => keeper.finish(layerId, request)),
    /** Receives an outside instrument's sound through a port, straight from the audio thread. */
    capture: (recordingId: string, port: MessagePort, rate: number, channels: number) =>
      handOver(() => keeper.capture(recordingId, transfer(port, [port]), rate, channels)),
    /** Opens a recording: its sound is kept from the buffered part on. */
    openRecording: (recordingId: string, opening: QueuedRequest) =>
      handOver(() => keeper.openRecording(recordingId, opening)),
    closeRecording: (recordingId: string, closing: QueuedRequest) =>
      handOver(() => keeper.closeRecording(recordingId, closing)),
    /** Queues the events of a layer that is complete already. */
    events: (songId: string, layerId: string, events: readonly LayerEvent[], pass?: string) =>
      handOver(() => keeper.events(songId, layerId, events, pass)),
    /** Buffers events for look-back. */
    hold: gathered.hold,
    /** Calls a follower when look-back's events could not be written. */
    onHoldFailed: (told: () => void) => {
      holdFailed = told;
    },
    /** @param own id of this window, under which the facts of all windows are merged */
    readBuffer: (own: string) => keeper.readBuffer(own),
    trimBuffer: (events: readonly BufferedEvent[]) => keeper.trimBuffer(events),
    forgetBuffer: () => keeper.forgetBuffer(),
    /** Queues the stored events of a layer whose pass was cut off. */
    rescue: (layerId: string) => keeper.rescue(layerId),
    /** Sends what this browser still holds from an earlier visit. */
    carry: () => keeper.carry(),
  };
});
