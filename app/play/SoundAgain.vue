<script setup lang="ts">
import { computed } from 'vue';
import type { Part, SoundedAgain } from '~~/core/document/part';
import { soundedRanges } from '~~/core/reading/soundedAgain';
import { barAt, barStart } from '~~/core/time/meter';
import { barsWords } from '~~/core/time/words';
import { whenWords } from '~/controls/dateWords';
import { useKeyboards } from '~/keyboards/keyboards';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useRecordings } from '~/song/recordings';
import { useSong } from '~/song/song';
import { BENCH_INPUT } from '~/sound/inputs';
import { usePass } from '~/transport/pass';
import { usePlayOut } from '~/transport/playOut';
import { useRoll } from '~/transport/roll';
import { useSession } from '~/transport/session';

/** Playing the finished line out to its instrument to record its sound anew, with the earlier results. */
const props = defineProps<{ part: Part }>();
const song = useSong();
const openSong = useOpenSong();
const reading = useReading();
const recordings = useRecordings();
const keyboards = useKeyboards();
const pass = usePass();
const playOut = usePlayOut();
const roll = useRoll();
const session = useSession();

const NOTHING = '';
const isBench = computed(() => props.part.input?.device === BENCH_INPUT.device);
const outlets = computed(() => {
  if (isBench.value) return [{ value: BENCH_INPUT.device, title: BENCH_INPUT.name }];
  const { output } = props.part;
  const away = output !== null && !keyboards.outputs.some((o) => o.id === output);
  return [
    { value: NOTHING, title: 'nothing' },
    ...keyboards.outputs.map((o) => ({ value: o.id, title: o.name })),
    ...(away ? [{ value: output, title: 'an instrument that is away' }] : []),
  ];
});
const outlet = computed(() => (isBench.value ? BENCH_INPUT.device : (props.part.output ?? NOTHING)));
const setOutlet = (to: string) => isBench.value || openSong.setPart(props.part.id, { output: to || null });

const bars = computed(() => song.document?.bars ?? 1);
/** Range selected on the chart, in whole bars. */
const chosen = computed(() => {
  const range = song.document?.brief.range;
  if (!range || !reading.maps) return null;
  const first = Math.min(bars.value, barAt(reading.maps.meter, range.from));
  return { first, last: Math.max(first, Math.min(bars.value, barAt(reading.maps.meter, range.to - 1))) };
});
const words = (first: number, last: number): string => {
  const { meter } = openSong.maps;
  return barsWords({ from: barStart(meter, first), to: barStart(meter, last + 1) }, meter);
};

const obstacle = computed(() => playOut.obstacle(props.part));
const underWay = computed(() => roll.playsOut?.part === props.part.id);

/** Number of bars in which each result is still the line's sound. */
const counts = computed(() => {
  const found = new Map<string, number>();
  const line = reading.lines.get(props.part.id);
  if (!line || !reading.maps) return found;
  for (const s of soundedRanges(props.part, line, reading.maps, (id) => recordings.all.has(id)))
    found.set(s.again.id, (found.get(s.again.id) ?? 0) + s.last - s.first + 1);
  return found;
});
const times = computed(() => [...props.part.soundedAgain].reverse());
function heardIn({ id, recording, bars: all }: SoundedAgain): string {
  if (!recordings.all.has(recording)) return 'its sound is on its way';
  const count = counts.value.get(id) ?? 0;
  if (count === 0) return 'not heard: the line is another there now';
  const whole = all.filter((b) => b.sign).length;
  return count < whole ? `heard in ${count} of ${whole} bars, where the line is as it was` : 'heard';
}
</script>

<template>
  <div class="again" role="group" :aria-label="`Sound ${part.name} again`">
    <div class="label">Sound it again</div>
    <div v-if="underWay" class="row" role="status">
      <span>Played out to the instrument and recorded; nothing else sounds.</span>
      <v-btn size="small" @click="session.stop()">Stop</v-btn>
    </div>
    <template v-else>
      <p class="quiet">
        Plays the line as it stands now out to the instrument, and records what comes back. Nothing else sounds.
      </p>
      <div class="row">
        <span>Play it out to</span>
        <SmallSelect
          :model-value="outlet"
          :items="outlets"
          :label="`Instrument that ${part.name} is played out to`"
          @update:model-value="setOutlet"
        />
      </div>
      <p v-if="obstacle" class="quiet">{{ obstacle }}</p>
      <div class="actions">
        <v-btn
          v-if="chosen"
          size="small"
          :disabled="obstacle !== null || pass.recording"
          @click="session.soundAgain(part, chosen.first, chosen.last)"
          >Sound {{ words(chosen.first, chosen.last) }}</v-btn
        >
        <v-btn size="small" :disabled="obstacle !== null || pass.recording" @click="session.soundAgain(part, 1, bars)"
          >Sound {{ bars === 1 ? 'the bar' : `all ${bars} bars` }}</v-btn
        >
      </div>
    </template>
    <ul v-if="times.length > 0" class="times">
      <li v-for="t in times" :key="t.id">
        <span>
          {{ words(t.first, t.first + t.bars.length - 1) }}, {{ whenWords(t.at) }}: <b>{{ heardIn(t) }}</b>
        </span>
        <button class="add" @click="song.run({ type: 'leave sounded again', part: part.id, again: t.id })">
          Leave it out
        </button>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.again {
  display: grid;
  gap: 8px;
  margin-top: 4px;
  padding-top: 8px;
  border-top: 1px solid var(--rule);
}
.row {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 8px;
  align-items: center;
  font-size: 13px;
}
.actions {
  display: flex;
  flex-wrap: wrap;
  gap: 6px;
}
.times {
  display: grid;
  gap: 4px;
  max-height: 130px;
  padding: 0;
  overflow: auto;
  list-style: none;
  font-size: 12.5px;
}
.times li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 8px;
}
.times b {
  font-weight: 600;
}
.add {
  color: var(--copper-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
  font-size: 12.5px;
}
</style>
