<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, ref, shallowRef, watch } from 'vue';
import type { Passage } from '~~/core/lookback/buffer';
import { doubled, halved, readPlaying, shifted, type PlayedNote, type PlayingReading } from '~~/core/lookback/playing';
import type { PlacementChoice } from '~~/core/lookback/phrase';
import { playedNotes } from '~~/core/lookback/onsets';
import { agoWords, whereWords } from '~~/core/lookback/words';
import { positionAt } from '~~/core/time/meter';
import { useOpenSong } from '~/song/openSong';
import { useLookBack } from '~/look-back/lookBack';
import { useNotices } from '~/notices/notices';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { usePassageHeard } from './usePassageHeard';

/** List of what was played and is in no take: seen, heard and kept. */
const lookBack = useLookBack();
const song = useSong();
const openSong = useOpenSong();
const session = useSession();
const roll = useRoll();
const notices = useNotices();
const { hearing, hear, quiet } = usePassageHeard();

const SHOWN = 30;
const mine = computed(() =>
  [...lookBack.passages]
    .reverse()
    .filter((s) => s.song === song.id)
    .slice(0, SHOWN),
);
const chosen = shallowRef<Passage | null>(null);
const readings = shallowRef<readonly PlayingReading[]>([]);
/** Index of the selected reading of its beats. */
const which = ref(0);
const placement = ref<PlacementChoice>('song tempo');
const forgetting = ref(false);

/** Notes of a passage, in seconds since 1970. */
const notesOf = (passage: Passage): PlayedNote[] => playedNotes(passage.events);
const notes = computed(() => (chosen.value ? notesOf(chosen.value) : []));

function choose(passage: Passage): void {
  quiet();
  chosen.value = passage;
  readings.value = passage.roll ? [] : readPlaying(notesOf(passage));
  which.value = 0;
  if (!passage.roll && readings.value.length === 0) placement.value = 'free';
  else if (placement.value === 'free') placement.value = 'song tempo';
}
watch(
  () => lookBack.opened,
  (open) => {
    forgetting.value = false;
    if (!open) return quiet();
    chosen.value = null;
    lookBack.look();
    const first = lookBack.now.free ?? mine.value[0];
    if (first) choose(first);
  },
);
const current = computed(() => readings.value[which.value] ?? null);
function change(made: PlayingReading): void {
  readings.value = readings.value.map((r, i) => (i === which.value ? made : r));
}

const now = (): number => Date.now();
const fromBar = computed(() => positionAt(openSong.maps.meter, lookBack.startBar(roll.playhead)).bar);

function keep(): void {
  const passage = chosen.value;
  if (!passage) return;
  quiet();
  const kept = passage.roll
    ? lookBack.keepPassages([passage], session.untilOf)
    : lookBack.keepPhrase(passage, current.value, placement.value, lookBack.startBar(roll.playhead));
  if (!kept) return;
  const words = many(passage.notes, 'note');
  notices.say(`Kept: ${words}. Undo takes the keep back; what was played stays in look-back.`, 'plain');
  lookBack.opened = false;
}
watch(
  () => lookBack.opened,
  () => {
    lookBack.treats = false;
  },
);
async function forgetAll(): Promise<void> {
  if (!forgetting.value) {
    forgetting.value = true;
    return;
  }
  await lookBack.forget();
  forgetting.value = false;
  chosen.value = null;
}

const PLACEMENTS: readonly { value: PlacementChoice; text: string; says: string }[] = [
  {
    value: 'song tempo',
    text: 'On the song’s tempo',
    says: 'Each of its beats falls on a beat of the song. Notes keep how early or late they were played.',
  },
  {
    value: 'song tempo, wander',
    text: 'On the song’s tempo, wandering',
    says: 'At the song’s tempo in the mean; it speeds up and slows down as it was played.',
  },
  { value: 'takes tempo', text: 'The song takes its tempo', says: 'One tempo from this bar on.' },
  {
    value: 'takes tempo, wander',
    text: 'The song takes its tempo, wander and all',
    says: 'The song’s beats follow the playing from this bar on.',
  },
  { value: 'free', text: 'In free time', says: 'As many seconds apart as it was played, from this bar on.' },
];
</script>

<template>
  <v-dialog v-model="lookBack.opened" width="960" max-height="640" aria-label="Look-back">
    <v-card class="look">
      <div class="top">
        <h2>Look-back</h2>
        <p class="quiet">
          Everything the keyboards send is kept here for at least half an hour of playing, whether or not anything
          records. What is in a take is not listed.
        </p>
      </div>
      <p v-if="mine.length === 0" class="none">
        There is nothing here for this song that is not in a take. Play, and it is here.
      </p>
      <div v-else class="both">
        <ul class="list" aria-label="What was played">
          <li v-for="s in mine" :key="s.events[0]!.seq">
            <button
              class="passage"
              :class="{ chosen: s.events[0]!.seq === chosen?.events[0]!.seq }"
              :aria-pressed="s.events[0]!.seq === chosen?.events[0]!.seq"
              @click="choose(s)"
            >
              <span>{{ many(s.notes, 'note') }}, {{ whereWords(s, openSong.maps.meter) }}</span
              ><span class="quiet">{{ agoWords(s, now()) }}{{ s.fresh ? '' : ', before the last take' }}</span>
            </button>
          </li>
        </ul>
        <div v-if="chosen" class="detail">
          <template v-if="chosen.roll">
            <p>
              Played while the song was rolling. Keep puts each note where it was played, by the way of recording in the
              brief.
            </p>
          </template>
          <template v-else-if="current">
            <p>Played with nothing rolling. Which of these is how you meant it?</p>
            <div class="readings">
              <PhraseReading
                v-for="(r, i) in readings"
                :key="i"
                :notes="notes"
                :reading="r"
                :likeliest="i === 0"
                :chosen="i === which"
                :data-test="`reading ${i}`"
                @click="
                  which = i;
                  quiet();
                "
              />
            </div>
            <div class="choices">
              <v-btn size="small" @click="change(halved(current))">Half</v-btn>
              <v-btn size="small" @click="change(doubled(current))">Double</v-btn>
              <v-btn size="small" @click="change(shifted(current, 1, notes[0]!.start))">The one a beat later</v-btn>
              <v-btn size="small" @click="change(shifted(current, -1, notes[0]!.start))">The one a beat earlier</v-btn>
            </div>
          </template>
          <p v-else>Too little was played to count by. It can be kept in free time.</p>
          <template v-if="!chosen.roll">
            <div class="label">Into the song, from bar {{ fromBar }}, where the playhead is</div>
            <ChoiceGroup label="Where it goes">
              <Choice
                v-for="l in PLACEMENTS"
                :key="l.value"
                :disabled="l.value !== 'free' && !current"
                :on="placement === l.value"
                @click="placement = l.value"
                >{{ l.text }}</Choice
              >
            </ChoiceGroup>
            <p class="quiet">{{ PLACEMENTS.find((l) => l.value === placement)!.says }}</p>
          </template>
        </div>
      </div>
      <label v-if="chosen && openSong.document.brief.quantize" class="treat"
        ><input v-model="lookBack.treats" type="checkbox" /> Pull it to the grid, as the brief does with passes. What
        you played is kept.</label
      >
      <footer>
        <v-btn size="small" variant="text" :disabled="mine.length === 0" @click="forgetAll">{{
          forgetting ? 'Really forget all of it' : 'Forget it all'
        }}</v-btn>
        <span class="actions">
          <v-btn size="small" variant="outlined" @click="lookBack.opened = false">Close</v-btn>
          <v-btn v-if="chosen" size="small" variant="outlined" @click="hear(chosen, current)">{{
            hearing ? 'Quiet' : current ? 'Hear it with a click' : 'Hear it'
          }}</v-btn>
          <v-btn v-if="chosen" size="small" variant="flat" color="primary" @click="keep">Keep it</v-btn>
        </span>
      </footer>
    </v-card>
  </v-dialog>
</template>

<style scoped>
.look {
  padding: 16px 20px;
  display: grid;
  gap: 10px;
}
.look h2 {
  font: 600 22px var(--names);
  margin: 0;
}
.look p {
  margin: 0;
  font-size: 13px;
}
.both {
  display: grid;
  grid-template-columns: 270px 1fr;
  gap: 16px;
  min-height: 0;
}
.list {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 4px;
  align-content: start;
  max-height: 420px;
  overflow: auto;
}
.passage {
  display: grid;
  width: 100%;
  text-align: left;
  padding: 6px 10px;
  border: 1px solid var(--rule);
  border-radius: 8px;
  background: var(--sheet);
  font-size: 13px;
}
.passage.chosen {
  border-color: var(--ink);
  box-shadow: inset 0 0 0 1px var(--ink);
}
.detail {
  display: grid;
  gap: 8px;
  align-content: start;
  max-height: 440px;
  overflow: auto;
  padding-right: 2px;
}
.readings {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.actions {
  display: flex;
  gap: 8px;
  justify-content: flex-end;
}
footer {
  display: flex;
  justify-content: space-between;
}
.treat {
  font-size: 13px;
}
.none {
  padding: 24px 0;
}
</style>
