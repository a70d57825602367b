<script setup lang="ts">
import { computed, onMounted, ref, useTemplateRef, watch } from 'vue';
import { laneWords, type BriefControl } from '~~/core/recording/brief';
import { listenersOf } from '~~/core/recording/inputRoutes';
import { steppedBrief } from '~~/core/recording/stepping';
import { useShortcuts } from '~/shell/useShortcuts';
import { useHands } from '~/transport/performAction';
import { modeOf } from '~~/core/recording/outcome';
import type { Brief } from '~~/core/document/brief';
import { USUAL, type Recipe } from '~~/core/timing/recipe';
import { usePass } from '~/transport/pass';
import { useOpenSong } from '~/song/openSong';
import { TOKENS } from '~/drawing/inks';
import { useKeyboards } from '~/keyboards/keyboards';
import { useInputs } from '~/sound/inputs';
import { useBriefSentence } from '~/transport/briefSentence';
import { MEND_WORDS } from '~~/core/linecheck/chain';
import { useLatency } from '~/sound/latency';
import { useLineCheck } from '~/line-check/lineCheck';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { withPunctuation } from '~/controls/phrasePunctuation';
import { vHint } from '~/controls/hint';

const song = useSong();
const openSong = useOpenSong();

const pass = usePass();

const session = useSession();
const keyboards = useKeyboards();
const check = useLineCheck();
const latency = useLatency();
const inputs = useInputs();

const roll = useRoll();
const hands = useHands();
const sentence = useBriefSentence();
/** Phrases, each with a stable name, so that one keeps the focus when its words change. */
const phrases = computed(() => {
  const counts = new Map<string, number>();
  return withPunctuation(sentence.phrases).map((phrase) => {
    const about = phrase.control ?? 'words';
    counts.set(about, (counts.get(about) ?? 0) + 1);
    return { ...phrase, name: `${about} ${counts.get(about)}` };
  });
});
// A missing input is reported before anything is recorded.
onMounted(() => {
  if (openSong.document.parts.some((p) => p.input)) void inputs.look(false);
});
const brief = computed(() => openSong.document.brief);
const several = computed(() => listenersOf(openSong.document).length > 1);
const part = computed(() => openSong.document.parts.find((p) => p.id === brief.value.part));
const set = (to: Partial<Brief>) => openSong.setBrief(to);

const NAMES: Readonly<Record<BriefControl, string>> = {
  count: 'Count-off',
  wait: 'Wait for a note',
  'lead-in': 'Lead-in',
  'lead-out': 'Lead-out',
  early: 'Early notes',
  speed: 'Practice speed',
  key: 'Transposition',
  mode: 'What happens to what is there',
  where: 'What is recorded',
  laps: 'Bars, loop and laps',
  part: 'The armed part',
  keyboard: 'Keyboards',
  sound: 'The sound of an outside instrument',
  placement: 'What you hear',
  quantize: 'Quantize while recording',
};
/** Phrases that open the settings of how a pass begins and ends. */
const LEADS = new Set<BriefControl>(['count', 'wait', 'lead-in', 'lead-out', 'early']);
/** A controller moved over an existing line may be meant to be ridden by itself. */
const rideable = computed(() => {
  const lane = keyboards.lastLane;
  const isMoved = lane !== null && lane !== 'control 64' && brief.value.ride === null;
  return isMoved && !pass.rolling && sentence.there > 0 ? lane : null;
});
/** Words for recorded controllers that are muted while the player moves them. */
const asideWords = computed(
  () =>
    [...roll.aside]
      .map(
        ([id, lanes]) =>
          `${[...lanes].map(laneWords).join(', ')} of ` +
          `${openSong.document.parts.find((p) => p.id === id)?.name ?? 'a part'}`,
      )
      .join('; ')
      .replace(/^the /, 'The ') + ': yours is heard, the recorded one is set aside.',
);
/** Red marks what a pass will replace. */
const writesOver = computed(() => {
  const { range, punchIn, punchOut, loop, laps, mode, ride } = brief.value;
  return (
    range !== null && (punchIn || punchOut || loop) && ride === null && modeOf(loop ? { laps } : {}, mode) !== 'merge'
  );
});
/** Popups that are open. They close when something begins to roll. */
const opened = ref<Record<string, boolean>>({});
watch(
  () => pass.rolling,
  (rolls) => {
    if (rolls) opened.value = {};
  },
);
const ARROWS: Readonly<Record<string, 1 | -1>> = { ArrowUp: 1, ArrowDown: -1 };
/** Arrow keys up and down change a phrase in place. */
function stepPhrase(event: KeyboardEvent, control: BriefControl): void {
  const by = ARROWS[event.key];
  if (by === undefined || event.shiftKey || event.ctrlKey || event.altKey || event.metaKey) return;
  event.preventDefault();
  // The menu would open at an arrow key; Enter opens it.
  event.stopImmediatePropagation();
  if (control === 'part') hands.act(by > 0 ? 'next part' : 'previous part');
  else if (control === 'speed') hands.act(by > 0 ? 'faster' : 'slower');
  else if (control === 'placement' && part.value)
    song.run({
      type: 'place part',
      part: part.value.id,
      policy: part.value.placement.policy === 'heard' ? 'played' : 'heard',
    });
  else {
    const keyboardsOn = keyboards.active.map((k) => k.id);
    const facts = { brief: brief.value, maps: openSong.maps, playhead: roll.playhead, keyboards: keyboardsOn };
    const to = steppedBrief(control, by, facts);
    if (to) set(to);
  }
}
/** Without a focus, Tab goes to the brief. */
useShortcuts({
  tab: () => card.value?.querySelector<HTMLElement>('.phrase')?.focus(),
});

/** Popups open below the whole card, so that the sentence stays in view. */
const card = useTemplateRef<HTMLElement>('card');
const dropBy = ref<Readonly<Record<string, number>>>({});
const below = (name: string): number => dropBy.value[name] ?? 4;
function measure(name: string): void {
  const phrase = card.value?.querySelector(`[data-phrase="${name}"]`)?.getBoundingClientRect();
  const whole = card.value?.getBoundingClientRect();
  if (phrase && whole)
    dropBy.value = { ...dropBy.value, [name]: Math.max(4, Math.round(whole.bottom - phrase.bottom) + 4) };
}
</script>

<template>
  <section ref="card" class="brief sheet" aria-label="The brief">
    <span class="label">Next pass</span>
    <p class="sentence names">
      <template v-for="phrase in phrases" :key="phrase.name">
        <Popup
          v-if="phrase.control"
          v-model="opened[phrase.name]"
          :label="NAMES[phrase.control]"
          location-strategy="connected"
          location="bottom start"
          :offset="[below(phrase.name), 0]"
          @update:model-value="
            (on: boolean) => {
              if (on) measure(phrase.name);
            }
          "
        >
          <template #activator="{ props }">
            <span class="punctuated"
              ><button
                v-bind="props"
                class="phrase"
                :class="{ marked: phrase.mark, live: phrase.control === 'where' && writesOver }"
                :data-control="phrase.control"
                :data-phrase="phrase.name"
                @keydown.capture="stepPhrase($event, phrase.control)"
                :style="phrase.control === 'part' && part ? { '--under': TOKENS[part.ink] } : undefined"
                v-hint="phrase.mark ?? NAMES[phrase.control]"
                :aria-label="`${NAMES[phrase.control]}: ${phrase.text}${phrase.mark ? `. ${phrase.mark}` : ''}`"
              >
                {{ phrase.text }}</button
              >{{ phrase.tail }}</span
            >
          </template>
          <div class="label">{{ NAMES[phrase.control] }}</div>
          <p v-if="phrase.mark" class="mark">{{ phrase.mark }}</p>

          <BriefLead v-if="LEADS.has(phrase.control)" />

          <BriefRange v-else-if="phrase.control === 'where' || phrase.control === 'laps'" />

          <BriefMode v-else-if="phrase.control === 'mode'" />

          <SpeedChoice v-else-if="phrase.control === 'speed'" />

          <TranspositionChoice v-else-if="phrase.control === 'key'" />

          <ListenerChoice v-else-if="phrase.control === 'part'" />

          <template v-else-if="phrase.control === 'keyboard'">
            <KeyboardList />
            <NuxtLink class="onward" :to="`/songs/${song.id}/line-check?page=Hands-free`"
              >Record, Stop and Go again from a spare key or a pedal</NuxtLink
            >
          </template>

          <template v-else-if="phrase.control === 'sound'">
            <template v-for="{ part: heard } in listenersOf(openSong.document)" :key="heard.id">
              <template v-if="heard.input">
                <div v-if="several" class="label">{{ heard.name }}</div>
                <OutsideSound :part="heard" />
              </template>
            </template>
          </template>

          <template v-else-if="phrase.control === 'placement' && part">
            <div class="choices column">
              <Choice
                :on="part.placement.policy === 'heard'"
                @click="song.run({ type: 'place part', part: part.id, policy: 'heard' })"
                >I hear Tall Kettle</Choice
              >
              <p class="quiet">You hear yourself through Tall Kettle. Notes stay where you lined them up.</p>
              <Choice
                :on="part.placement.policy === 'played'"
                @click="song.run({ type: 'place part', part: part.id, policy: 'played' })"
                >I hear my keyboard itself</Choice
              >
              <p class="quiet">
                You hear the keyboard’s own sound. Notes move earlier by the time the click takes to reach you.
              </p>
            </div>
            <p class="quiet">Takes of this part move with it. Undo moves them back.</p>
          </template>

          <template v-else-if="phrase.control === 'quantize'">
            <v-switch
              :model-value="brief.quantize !== null"
              color="primary"
              density="compact"
              hide-details
              label="Pull the take to the grid"
              @update:model-value="(on: unknown) => set({ quantize: on ? USUAL : null })"
            />
            <RecipeFields
              v-if="brief.quantize"
              :model-value="brief.quantize"
              :range="brief.range ?? { from: 0, to: openSong.maps.end }"
              @update:model-value="(quantize: Recipe) => set({ quantize })"
            />
            <p class="quiet">It is a treatment: what you played is kept, and comes back in Tidy.</p>
          </template>
        </Popup>
        <span v-else>{{ phrase.text }}</span>
      </template>
    </p>
    <div class="beside">
      <BarsEntry><BriefPresets /></BarsEntry>
      <NuxtLink
        v-if="!session.passed"
        class="ready"
        :class="{ good: check.ready.good }"
        :to="`/songs/${song.id}/line-check`"
        v-hint="'Line check (Shift 2)'"
        >{{ check.ready.text }}</NuxtLink
      >
      <template v-if="!session.passed">
        <v-btn v-if="check.trouble?.mend" size="x-small" variant="outlined" @click="check.mend(check.trouble.mend)">{{
          MEND_WORDS[check.trouble.mend]
        }}</v-btn>
        <button
          v-else-if="check.ready.good && !latency.known?.output"
          class="onward measure"
          :disabled="check.testing !== null || pass.rolling"
          v-hint="'Clicks go out and come back by the microphone, which the browser asks for; six seconds'"
          @click="check.measure()"
        >
          {{ check.testing ? 'Listening for the clicks' : 'Measure the latency' }}
        </button>
      </template>
      <v-btn v-if="rideable" size="x-small" variant="outlined" @click="set({ ride: rideable, mode: 'replace' })"
        >Ride {{ laneWords(rideable) }} alone</v-btn
      >
      <div v-if="roll.aside.size" class="aside" role="status">
        {{ asideWords }} <v-btn size="x-small" variant="outlined" @click="roll.resumeAside()">Resume</v-btn>
      </div>
    </div>
  </section>
</template>

<style scoped>
.beside {
  margin-left: auto;
  display: grid;
  gap: 5px;
  justify-items: end;
  align-self: center;
}
.aside {
  font-size: 12px;
  color: var(--copper-ink);
  font-weight: 600;
  text-align: right;
  max-width: 250px;
}
.ready {
  font-size: 12px;
  max-width: 250px;
  color: var(--copper-ink);
  font-weight: 600;
  text-decoration: none;
  align-self: center;
  text-align: right;
}
.measure {
  font-size: 12px;
}
.ready.good {
  color: var(--moss);
}
.punctuated {
  white-space: nowrap;
}
.phrase {
  font: inherit;
  font-weight: 600;
  color: var(--ink);
  border-bottom: 2px solid var(--under, var(--copper));
  line-height: 1.15;
  padding: 0;
  text-align: left;
}
.phrase:hover {
  background: var(--copper-soft);
}
.phrase.live {
  color: var(--live);
  border-color: var(--live);
}
.phrase.marked {
  background: var(--copper-soft);
  color: var(--copper-ink);
}
.phrase.marked::before {
  content: '! ';
  font-family: var(--text);
  font-weight: 700;
}
.mark {
  color: var(--copper-ink);
  font-weight: 600;
}
.choices.column {
  flex-direction: column;
  align-items: stretch;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .brief {
    flex-wrap: wrap;
  }
}
</style>
