<script setup lang="ts">
import { computed, ref } from 'vue';
import { isWorthSuggesting, whyWords, type Suggested } from '~~/core/picking/suggest';
import { rangeWords } from '~~/core/time/words';
import { useOpenSong } from '~/song/openSong';
import { useSession } from '~/transport/session';
import { usePick } from './pick';

/** Comp that is suggested from the takes: a reason for each range, and buttons to accept or leave it. */
const pick = usePick();
const openSong = useOpenSong();
const session = useSession();
const asked = ref(false);
const meter = computed(() => openSong.maps.meter);
const worth = computed(() => isWorthSuggesting(pick.part?.takes ?? []));
const isHeard = ({ from, to, takeId }: Suggested) =>
  pick.part!.comp.some((p) => p.takeId === takeId && p.from <= from && p.to >= to);
const here = computed(() => pick.suggestedIn(pick.shownRange));
const differs = computed(() => here.value.filter((s) => !isHeard(s)));
const everywhere = computed(() => pick.suggestedIn(pick.whole).filter((s) => !isHeard(s)));

function hear(s: Suggested): void {
  pick.hear({ takeId: s.takeId, range: { from: s.from, to: s.to } });
  session.seek(s.from);
  void session.playFromHere();
}
</script>

<template>
  <section aria-label="Suggestion">
    <div class="label">Suggestion</div>
    <div class="sheet panel">
      <p v-if="!worth" class="quiet">
        From three takes of the same bars on, a comp can be suggested: then they say of each other what was meant.
      </p>
      <p v-else-if="!pick.known" class="quiet" role="status">The takes are being compared.</p>
      <v-btn v-else-if="!asked" size="small" @click="asked = true">Suggest a comp</v-btn>
      <template v-else>
        <p v-if="here.length === 0" class="quiet">All of these bars were picked by hand: they are left as they are.</p>
        <ul>
          <li v-for="s in here" :key="s.from">
            <span
              ><b>{{ rangeWords(s, meter) }}: take {{ pick.numberOf(s.takeId) }}</b>
              <span class="why">{{ whyWords(s.why, pick.numberOf, meter) }}</span></span
            >
            <span v-if="isHeard(s)" class="quiet">in the line</span>
            <span v-else class="two">
              <v-btn size="x-small" :aria-label="`Hear ${rangeWords(s, meter)}`" @click="hear(s)">Hear</v-btn>
              <v-btn size="x-small" :aria-label="`Accept ${rangeWords(s, meter)}`" @click="pick.accept([s])"
                >Accept</v-btn
              >
            </span>
          </li>
        </ul>
        <div class="choices">
          <v-btn size="x-small" :disabled="differs.length === 0" @click="pick.accept(differs)">Accept these</v-btn>
          <v-btn size="x-small" :disabled="everywhere.length === 0" @click="pick.accept(everywhere)"
            >Accept the whole song</v-btn
          >
          <Choice size="x-small" :on="pick.overHand" @click="pick.overHand = !pick.overHand"
            >Also what I picked by hand</Choice
          >
          <v-btn size="x-small" variant="text" @click="asked = false">Not now</v-btn>
        </div>
      </template>
    </div>
  </section>
</template>

<style scoped>
.panel {
  padding: 8px 10px;
  max-height: 260px;
  overflow: auto;
}
p {
  margin: 2px 0;
  font-size: 12px;
}
ul {
  list-style: none;
  margin: 0 0 6px;
  padding: 0;
}
li {
  display: grid;
  grid-template-columns: 1fr auto;
  gap: 6px;
  padding: 3px 0;
  font-size: 12.5px;
  align-items: center;
}
.why {
  display: block;
  font-size: 11.5px;
  color: var(--ink-2);
}
.two {
  display: flex;
  gap: 4px;
}
</style>
