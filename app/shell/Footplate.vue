<script setup lang="ts">
import { many } from '~~/core/vocabulary/many';
import { computed } from 'vue';
import { storeToRefs } from 'pinia';
import { mdiPlay, mdiStop, mdiCircle, mdiMinus } from '@mdi/js';
import { usePass } from '~/transport/pass';
import { usePassWords } from '~/transport/passWords';
import { usePlace } from '~/transport/place';
import { useLookBack } from '~/look-back/lookBack';
import { MARKS } from '~~/core/document/take';
import { useHands } from '~/transport/performAction';
import { useSession } from '~/transport/session';
import { useSong } from '~/song/song';
import { vHint } from '~/controls/hint';

const emit = defineEmits<{ undo: [] }>();
const session = useSession();
const pass = usePass();
const place = usePlace();
const said = usePassWords();
const hands = useHands();
const song = useSong();
const lookBack = useLookBack();

/** Pictures of the lamp, and whether it is lit for a pass. */
const LAMPS = {
  count: { icon: '', kind: 'live' },
  record: { icon: mdiCircle, kind: 'live' },
  lead: { icon: mdiPlay, kind: 'live' },
  play: { icon: mdiPlay, kind: 'playing' },
  rest: { icon: mdiMinus, kind: '' },
} as const;
const lamp = computed(() => LAMPS[said.lamp]);

const { recording } = storeToRefs(pass);
const canUndo = computed(() => Boolean(song.undoWords) && (!recording.value || Boolean(pass.plan?.loop)));
</script>

<template>
  <section class="footplate" aria-label="Footplate">
    <div class="lamp" :class="lamp.kind" aria-hidden="true">
      <span v-if="said.lamp === 'count'" class="names">{{ place.left }}</span>
      <v-icon v-else :icon="lamp.icon" :size="pass.phase === 'recording' ? 22 : 30" />
    </div>
    <div class="words" role="status" aria-live="polite">
      <div class="names state">{{ said.words.state }}</div>
      <div v-if="pass.phase === 'idle' && hands.latest" class="below marks" role="group" aria-label="The latest take">
        <span>Take {{ hands.latest.take.number }}:</span>
        <button v-for="m in MARKS" :key="m" :aria-pressed="hands.latest.take.mark === m" @click="hands.mark(m)">
          {{ m }}
        </button>
      </div>
      <div v-else class="below">{{ said.words.below }}</div>
    </div>
    <FootplateClock />
    <div class="actions">
      <v-btn class="action" variant="flat" :disabled="!song.document" @click="session.play()">
        <v-icon :icon="pass.rolling ? mdiStop : mdiPlay" start size="18" />{{ pass.rolling ? 'Stop' : 'Play'
        }}<ActionKey action="play" />
      </v-btn>
      <v-btn
        class="action record"
        variant="flat"
        :disabled="!song.document"
        :aria-pressed="recording"
        @click="session.record()"
      >
        {{ recording ? (pass.plan?.punched ? 'Punch out' : 'End take') : 'Record' }}<ActionKey action="record" />
      </v-btn>
      <v-btn
        class="action plain"
        variant="outlined"
        :disabled="!song.document"
        v-hint="'Stop, keep what was played, and start the same pass over'"
        @click="session.goAgain()"
      >
        Go again<ActionKey action="go again" />
      </v-btn>
      <v-btn
        class="action plain keep"
        variant="outlined"
        :disabled="!song.document || lookBack.notes === 0 || recording"
        v-hint="
          lookBack.notes
            ? `Keep ${many(lookBack.notes, 'note')} played since the last keep or pass`
            : 'Nothing was played since the last keep or pass'
        "
        @click="hands.keep()"
      >
        Keep what I just played<ActionKey action="keep" />
      </v-btn>
      <v-btn
        class="action plain"
        variant="outlined"
        :disabled="!canUndo"
        v-hint="song.undoWords ? `Undo ${song.undoWords}` : 'Nothing to undo'"
        @click="emit('undo')"
      >
        Undo<ActionKey action="undo" />
      </v-btn>
    </div>
    <FootplateMeters />
  </section>
</template>

<style scoped>
.footplate {
  grid-row: 4;
  display: grid;
  grid-template-columns: 56px minmax(150px, 1fr) 188px auto 160px;
  align-items: center;
  gap: 14px;
  padding: 0 18px;
  background: var(--plate);
  color: var(--plate-ink);
}
.lamp {
  width: 56px;
  height: 56px;
  border-radius: 50%;
  display: grid;
  place-items: center;
  background: var(--plate-2);
  font-size: 26px;
}
.lamp.live {
  background: var(--live-fill);
}
.state {
  font-size: 25px;
  line-height: 1.08;
}
.below {
  font-size: 13px;
  line-height: 1.25;
  color: var(--plate-ink-2);
}
.words {
  min-width: 0;
  contain: content;
}
.actions {
  display: flex;
  gap: 5px;
}
.action {
  min-width: 84px;
  padding: 0 11px !important;
  justify-content: center;
  height: 46px !important;
  background: var(--plate-2);
  color: var(--plate-ink);
  gap: 8px;
}
.action :deep(.v-btn__content) {
  gap: 7px;
  white-space: normal;
  line-height: 1.15;
}
.record {
  background: var(--live-fill);
  color: var(--plate-ink);
}
.plain {
  background: transparent;
  border-color: var(--plate-3);
}
.action:disabled {
  opacity: 0.45;
}
.plain:disabled {
  opacity: 1;
  color: var(--plate-quiet);
  border-color: var(--plate-3);
}
.keep {
  max-width: 138px;
  font-size: 12px;
}
:deep(:focus-visible) {
  outline-color: var(--plate-copper);
}
/* A small screen: the actions give way. */
@media (max-width: 1200px) {
  .footplate {
    grid-template-columns: 56px minmax(90px, 1fr) 128px auto 150px;
    gap: 8px;
    padding: 0 10px;
  }
  .state {
    font-size: 21px;
  }
  .action {
    min-width: 56px;
    padding: 0 5px !important;
    letter-spacing: 0;
  }
  .action :deep(.v-btn__content) {
    gap: 4px;
  }
  .keep {
    max-width: 108px;
  }
}
/* A narrow page, as at twice the size: everything below each other, and the page scrolls. */
@media (max-width: 1000px) {
  .footplate {
    grid-template-columns: 56px minmax(0, 1fr) auto;
    padding: 10px 18px;
  }
  .actions,
  .footplate > :last-child {
    grid-column: 1 / -1;
    flex-wrap: wrap;
  }
}
.marks {
  display: flex;
  gap: 8px;
}
.marks button {
  color: var(--plate-ink);
  text-decoration: underline;
  text-underline-offset: 3px;
  padding: 0 2px;
}
.marks button[aria-pressed='true'] {
  background: var(--plate-ink);
  color: var(--plate);
  border-radius: 4px;
  text-decoration: none;
}
</style>
