<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed } from 'vue';
import { heardWords, joinsWords } from '~~/core/picking/sentence';
import { atHand } from '~~/core/document/part';
import { rangeWords } from '~~/core/time/words';
import { inRange, type TickRange } from '~~/core/time/units';
import { TOKENS } from '~/drawing/inks';
import { useOpenSong } from '~/song/openSong';
import { useReading } from '~/song/reading';
import { useSession } from '~/transport/session';
import { useRoll } from '~/transport/roll';
import { usePick } from './pick';

/** Sentence of the takes that the part consists of in the shown range; each phrase opens what it names. */
const pick = usePick();
const openSong = useOpenSong();
const reading = useReading();
const session = useSession();
const roll = useRoll();
const emit = defineEmits<{ joins: [] }>();
/** Number of passages up to which each is named; more are counted. */
const MOST_TOLD = 6;

const meter = computed(() => openSong.maps.meter);
const named = computed(() => pick.sections.filter((s) => s.name));
const selection = computed(() => openSong.document.brief.range);
const isShown = (r: TickRange) => r.from === pick.shownRange.from && r.to === pick.shownRange.to;
const rangeName = computed(() => {
  const section = named.value.find(isShown);
  if (section) return section.name;
  return isShown(pick.whole) ? 'the whole song' : rangeWords(pick.shownRange, meter.value);
});
function look(range: TickRange): void {
  pick.look({ from: range.from, to: range.to });
  if (!inRange(roll.playhead, range)) session.seek(range.from);
}
const told = computed(() => (pick.heard.length <= MOST_TOLD ? pick.heard : []));
const takesHeard = computed(() => new Set(pick.heard.flatMap((h) => (h.takeId ? [h.takeId] : []))).size);
const nothing = computed(() => pick.heard.every((h) => h.takeId === null));
const joins = computed(() => {
  const words = joinsWords(pick.joinsHere);
  return words[0]!.toUpperCase() + words.slice(1);
});
const others = (h: TickRange) => pick.there.filter((t) => t.from < h.to && t.to > h.from);
</script>

<template>
  <section class="brief sheet" aria-label="The line">
    <span class="label">The line</span>
    <p class="sentence names">
      <template v-if="!pick.part">{{ reading.noPart }}</template>
      <template v-else>
        <v-menu>
          <template #activator="{ props }"
            ><button v-bind="props" class="opener" :style="{ color: TOKENS[pick.part.ink] }">
              {{ pick.part.name }}
            </button></template
          >
          <v-card role="dialog" aria-label="Parts"
            ><v-list density="compact">
              <v-list-item
                v-for="p in atHand(openSong.document.parts)"
                :key="p.id"
                :title="p.name"
                :active="p.id === pick.part.id"
                @click="reading.shownId = p.id"
              /> </v-list
          ></v-card> </v-menu
        >,
        <v-menu>
          <template #activator="{ props }"
            ><button v-bind="props" class="opener">{{ rangeName }}</button></template
          >
          <v-card role="dialog" aria-label="Ranges"
            ><v-list density="compact">
              <v-list-item title="The whole song" :active="isShown(pick.whole)" @click="look(pick.whole)" />
              <v-list-item
                v-if="selection"
                :title="`Selected ${rangeWords(selection, meter)}`"
                :active="isShown(selection)"
                @click="look(selection)"
              />
              <v-list-item
                v-for="s in named"
                :key="s.firstBar"
                :title="s.name"
                :active="isShown(s)"
                @click="look(s)"
              /> </v-list
          ></v-card> </v-menu
        >:
        <template v-if="nothing">{{ pick.there.length ? 'nothing is picked yet' : 'nothing played yet' }}.</template>
        <template v-else>
          <template v-for="(h, i) in told" :key="h.from"
            ><template v-if="i > 0">, </template>{{ heardWords(h, meter)
            }}<template v-if="h.takeId"
              >&nbsp;<v-menu>
                <template #activator="{ props }"
                  ><button
                    v-bind="props"
                    class="opener take figures"
                    :aria-label="`${rangeWords(h, meter)} from take ${pick.numberOf(h.takeId)}: another take`"
                  >
                    take {{ pick.numberOf(h.takeId) }}
                  </button></template
                >
                <v-card role="dialog" :aria-label="`Takes for ${rangeWords(h, meter)}`"
                  ><v-list density="compact">
                    <v-list-item
                      v-for="t in others(h)"
                      :key="t.id"
                      :title="t.name || `Take ${t.number}`"
                      :active="t.id === h.takeId"
                      @click="pick.pickTake(t, h)"
                    /> </v-list
                ></v-card> </v-menu></template></template
          ><template v-if="told.length === 0"
            >{{ pick.heard.length === 1 ? '1 passage' : `${pick.heard.length} passages` }} from
            {{ many(takesHeard, 'take') }}</template
          >. <button v-if="pick.joinsHere.length" class="opener" @click="emit('joins')">{{ joins }}</button><template
            v-if="pick.joinsHere.length"
            >.</template
          >
        </template>
      </template>
    </p>
  </section>
</template>

<style scoped>
.take {
  font-family: var(--names);
}
</style>
