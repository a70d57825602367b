<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed, onMounted, ref } from 'vue';
import { REFUSALS } from '~~/core/placement/loopTest';
import { outputFromTaps, TAP_CLICKS, TAP_REFUSALS, type TapOutcome } from '~~/core/placement/tapTest';
import type { LatencyFigure } from '~~/core/placement/figures';
import { shiftOf } from '~~/core/placement/place';
import { useKeyboards } from '~/keyboards/keyboards';
import { useLatency } from '~/sound/latency';
import { useLineCheck } from './lineCheck';
import { useOpenSong } from '~/song/openSong';
import { useSong } from '~/song/song';
import { useSound } from '~/sound/sound';

/** Latency measured three ways, the kept value, and where it puts a note. */
const latency = useLatency();
const check = useLineCheck();
const keyboards = useKeyboards();
const song = useSong();
const openSong = useOpenSong();
const sound = useSound();
onMounted(() => latency.look());

const ms = (seconds: number, digits = 1) => `${(seconds * 1000).toFixed(digits)} ms`.replace('-', '−');
const METHOD = { loop: 'loop test', taps: 'tap test', typed: 'typed' } as const;
const figureWords = (f: LatencyFigure | null | undefined) =>
  f ? `${ms(f.seconds)}${f.spread ? ` ±${ms(f.spread, 2)}` : ''}, ${METHOD[f.method]}, ${f.at.slice(0, 10)}` : '';
const now = () => new Date().toISOString();

const cable = ref({ delay: 60, gain: -12, noise: -70 });
const loop = computed(() => check.loop);
function tapWords(outcome: TapOutcome | undefined): string {
  if (!outcome) return 'not done yet';
  if (outcome.type === 'refused') return TAP_REFUSALS[outcome.why];
  const { late, spread, taps } = outcome;
  return `${ms(Math.abs(late), 0)} ${late < 0 ? 'early' : 'late'}, ±${ms(spread, 0)}, ${many(taps.length, 'tap')}`;
}
const anyTaps = computed(() => Object.values(check.taps).some((t) => t?.type === 'measured'));
const fromTaps = computed(() => {
  const { own, through } = check.taps;
  return own?.type === 'measured' && through?.type === 'measured'
    ? { seconds: outputFromTaps(own.late, through.late), spread: Math.hypot(own.spread, through.spread) }
    : null;
});
function keepTyped(which: 'output' | 'input', text: string): void {
  const value = Number(text.replace(',', '.'));
  if (text.trim() === '') void latency.keep(which, null);
  else if (Number.isFinite(value) && Math.abs(value) <= 1000)
    void latency.keep(which, { seconds: value / 1000, spread: 0, method: 'typed', at: now() });
}

/** Times in the drawing: a click as rendered and as heard, and a note played with it. */
const figures = computed(() => latency.figures(latency.reported));
const WIDTH = 520;
const SPAN = computed(() => Math.max(0.05, figures.value.output * 1.6 + figures.value.input + 0.01));
const x = (seconds: number) => 90 + (seconds / SPAN.value) * (WIDTH - 130);
const part = computed(() => check.part);
const lands = (policy: 'played' | 'heard') =>
  figures.value.output +
  figures.value.input +
  shiftOf({ policy, nudge: part.value?.placement.nudge ?? 0 }, figures.value);
const place = (policy: 'played' | 'heard') => {
  if (part.value) song.run({ type: 'place part', part: part.value.id, policy });
};
const nudge = (text: string) => {
  const value = Number(text);
  if (part.value && Number.isFinite(value) && Math.abs(value) <= 1000)
    song.run({ type: 'place part', part: part.value.id, policy: part.value.placement.policy, nudge: value });
};
const twice = computed(() => part.value?.placement.policy === 'played' && part.value.monitor === 'program');
const described = computed(() => {
  const { output } = figures.value;
  const lies = `${ms(lands('played'))} from it for the keyboard itself, and ${ms(lands('heard'))} for Tall Kettle`;
  return `The click is heard ${ms(output)} after it is rendered. A note played with the click as heard lands ${lies}.`;
});
</script>

<template>
  <div class="latency">
    <p v-if="latency.changed" class="attention" role="status">
      The set-up has changed: {{ latency.changed.words }} was measured, and this is {{ latency.setup?.words }}. Measure
      again, or type a figure.
    </p>
    <div class="columns">
      <div class="column">
        <div class="sheet panel facts">
          <span class="quiet">This set-up</span><span>{{ latency.setup?.words ?? 'no audio yet' }}</span>
          <span class="quiet">The system says</span><span class="figures">{{ ms(latency.reported) }} out</span>
          <label for="lat-out" class="quiet">Output latency</label>
          <span class="pair"
            ><SmallField
              id="lat-out"
              class="field figures"
              :model-value="latency.known?.output ? Math.round(latency.known.output.seconds * 10000) / 10 : ''"
              :placeholder="(latency.reported * 1000).toFixed(1)"
              @set="(text: string) => keepTyped('output', text)"
            />
            ms <span class="quiet small">{{ figureWords(latency.known?.output) || 'as the system says' }}</span></span
          >
          <label for="lat-in" class="quiet">Input latency</label>
          <span class="pair"
            ><SmallField
              id="lat-in"
              class="field figures"
              :model-value="latency.known?.input ? Math.round(latency.known.input.seconds * 10000) / 10 : ''"
              placeholder="0"
              @set="(text: string) => keepTyped('input', text)"
            />
            ms <span class="quiet small">{{ figureWords(latency.known?.input) || 'nothing known' }}</span></span
          >
        </div>
        <div class="two">
          <section class="sheet panel" aria-label="Loop test">
            <div class="label">Loop test</div>
            <p class="quiet small">Clicks go out and come back by a microphone or a cable.</p>
            <div class="choices">
              <v-btn size="small" :disabled="check.testing !== null" @click="check.testLoop({ type: 'microphone' })"
                >By microphone</v-btn
              >
              <v-btn
                size="small"
                :disabled="check.testing !== null"
                @click="check.testLoop({ type: 'cable', ...cable })"
                >Try it on a simulated cable</v-btn
              >
            </div>
            <div class="pair small quiet">
              Simulated cable:
              <SmallField
                v-model.number="cable.delay"
                class="field figures"
                type="number"
                min="1"
                max="380"
                aria-label="Delay of the simulated cable in ms"
              />
              ms
              <SmallField
                v-model.number="cable.gain"
                class="field figures"
                type="number"
                min="-80"
                max="0"
                aria-label="Gain of the simulated cable in dB"
              />
              dB, noise
              <SmallField
                v-model.number="cable.noise"
                class="field figures"
                type="number"
                min="-100"
                max="0"
                aria-label="Noise of the simulated cable in dBFS"
              />
            </div>
            <p v-if="check.testing === 'loop'" role="status">Listening for the clicks.</p>
            <template v-else-if="loop">
              <p v-if="loop.outcome.type === 'refused'" class="attention" role="alert">
                {{ REFUSALS[loop.outcome.why] }} Nothing was stored.
              </p>
              <template v-else>
                <p role="status">
                  <b class="figures" data-test="loop">{{ ms(loop.outcome.delay, 2) }}</b> out and back, ±{{
                    ms(loop.outcome.spread, 2)
                  }}, {{ many(loop.outcome.strokes, 'click') }}.
                </p>
                <p v-if="check.fromLoop === null" class="quiet small">
                  That is the simulated cable that ships with the program. It says nothing of your audio device, so
                  nothing of it is kept.
                </p>
                <v-btn v-else size="small" @click="check.keepLoop()"
                  >Keep {{ ms(check.fromLoop.seconds) }} as the output latency</v-btn
                >
              </template>
            </template>
          </section>
          <section class="sheet panel" aria-label="Tap test">
            <div class="label">Tap test</div>
            <p class="quiet small">
              {{ TAP_CLICKS }} clicks; tap one key along. People tap early by habit, so do it twice: the difference is
              the output latency.
            </p>
            <div class="choices">
              <v-btn size="small" :disabled="check.testing !== null" @click="check.testTaps('own')"
                >Hearing the keyboard itself</v-btn
              >
              <v-btn size="small" :disabled="check.testing !== null" @click="check.testTaps('through')"
                >Hearing it through here</v-btn
              >
            </div>
            <p v-if="check.testing === 'taps'" role="status">Tap along: {{ check.tapCount }} taps.</p>
            <p v-else class="small">
              Itself: {{ tapWords(check.taps.own) }}. Through here: {{ tapWords(check.taps.through) }}.
            </p>
            <TapChart v-if="anyTaps" :own="check.taps.own" :through="check.taps.through" />
            <v-btn
              v-if="fromTaps"
              size="small"
              @click="latency.keep('output', { ...fromTaps, method: 'taps', at: now() })"
              >Keep {{ ms(fromTaps.seconds) }} as the output latency</v-btn
            >
          </section>
        </div>
      </div>
      <section v-if="part" class="sheet panel" aria-label="Placement">
        <div class="label">Where a note of {{ part.name }} lands</div>
        <svg class="drawing" :viewBox="`0 0 ${WIDTH} 104`" role="img" :aria-label="described">
          <line :x1="x(0)" y1="8" :x2="x(0)" y2="98" class="beat" />
          <text :x="x(0)" y="102" class="small-text" text-anchor="middle" />
          <text x="0" y="24" class="text">the click</text>
          <circle :cx="x(0)" cy="20" r="5" class="ink" />
          <path :d="`M${x(0) + 6} 20 H${x(figures.output) - 6}`" class="way" />
          <circle :cx="x(figures.output)" cy="20" r="5" class="hollow" />
          <text :x="x(figures.output) + 10" y="24" class="text">heard, {{ ms(figures.output) }}</text>
          <text x="0" y="60" class="text">keyboard</text>
          <rect
            :x="x(lands('played')) - 4"
            y="49"
            width="26"
            height="12"
            rx="3"
            :class="part.placement.policy === 'played' ? 'ink' : 'pale'"
          />
          <text :x="x(lands('played')) + 28" y="60" class="text">{{ ms(lands('played')) }}</text>
          <text x="0" y="88" class="text">Tall Kettle</text>
          <rect
            :x="x(lands('heard')) - 4"
            y="77"
            width="26"
            height="12"
            rx="3"
            :class="part.placement.policy === 'heard' ? 'ink' : 'pale'"
          />
          <text :x="x(lands('heard')) + 28" y="88" class="text">{{ ms(lands('heard')) }}</text>
        </svg>
        <p class="quiet small">
          A key struck with the click as you hear it. If you hear it through here, you play earlier than if you hear the
          keyboard itself.
        </p>
        <ChoiceGroup label="Placement">
          <Choice :on="part.placement.policy === 'played'" @click="place('played')">I hear my keyboard itself</Choice>
          <Choice :on="part.placement.policy === 'heard'" @click="place('heard')">I hear Tall Kettle</Choice>
          <label class="pair small"
            >Nudge
            <SmallField
              class="field figures"
              type="number"
              step="1"
              min="-1000"
              max="1000"
              :model-value="part.placement.nudge"
              aria-label="Nudge in ms"
              @set="(text: string) => nudge(text)"
            />
            ms</label
          >
        </ChoiceGroup>
        <ChoiceGroup label="The figure">
          <Choice :on="part.monitor === 'program'" @click="openSong.setPart(part.id, { monitor: 'program' })"
            >I hear it through here</Choice
          >
          <Choice :on="part.monitor === 'keyboard'" @click="openSong.setPart(part.id, { monitor: 'keyboard' })"
            >The keyboard sounds by itself</Choice
          >
          <Choice
            v-for="out in keyboards.outputs"
            :key="out.id"
            :on="part.monitor === 'output' && part.output === out.id"
            @click="openSong.setPart(part.id, { monitor: 'output', output: out.id })"
            >Through {{ out.name }}</Choice
          >
          <Choice :on="part.overLine" @click="openSong.setPart(part.id, { overLine: !part.overLine })"
            >Keep hearing the old take while I record</Choice
          >
        </ChoiceGroup>
        <p v-if="twice" class="attention" role="status">
          Notes are placed for a keyboard that sounds by itself, and the program sounds it too: you would hear it twice.
        </p>
        <p
          v-if="part.monitor === 'output' && !keyboards.outputs.some((o) => o.id === part!.output)"
          class="attention"
          role="status"
        >
          The instrument it is heard through is not there. Plug it in, or choose another way.
        </p>
      </section>
    </div>
    <p v-if="sound.state !== 'ready'" class="quiet small">The sound has to run before anything is measured.</p>
  </div>
</template>

<style scoped>
.latency {
  display: grid;
  gap: 8px;
  align-content: start;
}
.panel {
  padding: 8px 14px;
  display: grid;
  gap: 5px;
  align-content: start;
}
.panel p {
  margin: 0;
}
.facts {
  grid-template-columns: 110px 1fr;
  align-items: center;
}
.columns {
  display: grid;
  grid-template-columns: minmax(0, 1.35fr) minmax(0, 1fr);
  gap: 10px;
  align-items: start;
}
.column {
  display: grid;
  gap: 8px;
}
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 8px;
}
.pair {
  display: flex;
  gap: 6px;
  align-items: center;
  flex-wrap: wrap;
}
.field {
  width: 66px;
}
.small {
  font-size: 12px;
}
.pair.small .field {
  width: 48px;
}
.attention {
  background: var(--copper-soft);
  color: var(--copper-ink);
  border-radius: 8px;
  padding: 6px 10px;
  font-size: 13px;
  margin: 0;
}
.drawing {
  width: 100%;
  max-width: 560px;
}
.beat {
  stroke: var(--rule);
  stroke-width: 1.5;
}
.text,
.small-text {
  font: 12px var(--text);
  fill: var(--ink-2);
}
.ink {
  fill: var(--ink);
}
.pale {
  fill: var(--pencil-soft);
}
.hollow {
  fill: none;
  stroke: var(--ink);
  stroke-width: 2;
}
.way {
  stroke: var(--ink);
  stroke-width: 1.5;
  stroke-dasharray: 3 4;
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .columns,
  .two {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
