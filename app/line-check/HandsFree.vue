<script setup lang="ts">
import { onBeforeUnmount, ref } from 'vue';
import type { KeyMessage } from '~~/core/performance/messages';
import { ACTIONS, COMMAND_KEY, type LearnedCommand, type Trigger } from '~~/core/performance/learned';
import { useKeyboards } from '~/keyboards/keyboards';
import { useTaught } from '~/keyboards/taught';
import { usePreferences, CONFIRMS, type Confirms } from '~/controls/preferences';
import { ACTION_FACTS } from '~/transport/actions';
import { useConfirming } from '~/transport/confirming';

/** Keys and pedals that are taught actions, so that the hands stay on the keyboard. */
const keyboards = useKeyboards();
const taught = useTaught();

type Taught = LearnedCommand['action'];
const confirming = useConfirming();
const preferences = usePreferences();
/** Actions in the order shown. The command key is first, as it reaches all others. */
const ROWS: readonly { readonly action: Taught; readonly name: string }[] = [
  { action: COMMAND_KEY, name: 'Keys as commands, while it is held' },
  ...ACTIONS.map((action) => ({ action, name: ACTION_FACTS[action].name })),
];
const CONFIRM_NAMES: Readonly<Record<Confirms, string>> = {
  nothing: 'Only on the screen',
  sound: 'With a short sound',
  word: 'With a word',
};

const NEEDS = [
  { value: 'press', title: 'one press' },
  { value: 'double', title: 'a double press' },
  { value: 'chord', title: 'a chord' },
] as const;
/** Ready-made set of commands besides the command key: pedals pressed twice, which keep their normal use. */
const READY: readonly LearnedCommand[] = [
  { action: 'record', needs: 'double', triggers: [{ kind: 'control', number: 67 }] },
  { action: 'go again', needs: 'double', triggers: [{ kind: 'control', number: 66 }] },
];
/** True if the key that is waited for also sets up the ready-made commands. */
let isReady = false;
function takeReady(): void {
  teach(COMMAND_KEY);
  isReady = true;
}

const needs = ref<Record<string, LearnedCommand['needs']>>({});
const learning = ref<Taught | null>(null);
const found = ref<readonly Trigger[]>([]);

/** Trigger that a message can be taught as; null for other messages. */
function triggerOf(message: KeyMessage): Trigger | null {
  if (message.type === 'control') return { kind: 'control', number: message.controller };
  const isKey = message.type === 'noteOn' || message.type === 'noteOff';
  return isKey ? { kind: 'note', number: message.key } : null;
}

function teach(action: Taught): void {
  learning.value = action;
  found.value = [];
  const wanted = needs.value[action] ?? 'press';
  const down = new Set<string>();
  keyboards.learner = (port: string, message: KeyMessage) => {
    const trigger = triggerOf(message);
    if (!trigger) return;
    const name = `${trigger.kind} ${trigger.number}`;
    const pressed = message.type === 'noteOn' || (message.type === 'control' && message.value >= 64);
    if (pressed && !down.has(name)) {
      down.add(name);
      if (!found.value.some((t) => t.kind === trigger.kind && t.number === trigger.number))
        found.value = [...found.value, trigger];
    } else if (!pressed) down.delete(name);
    // A chord is complete when all of its keys are up again; other triggers at their first press.
    if (wanted === 'chord' ? down.size === 0 && found.value.length > 1 : found.value.length > 0)
      learn(port, action, wanted);
  };
}
function learn(port: string, action: Taught, wanted: LearnedCommand['needs']): void {
  const triggers = wanted === 'chord' ? found.value.slice(0, 6) : found.value.slice(0, 1);
  const pedals = isReady ? READY.filter(({ action: other }) => !taught.known.value.has(other)) : [];
  quit();
  forget(action);
  const others = keyboards
    .settingsOf(port)
    .learned.filter((l) => !l.triggers.some((t) => triggers.some((u) => u.kind === t.kind && u.number === t.number)));
  void keyboards.change(port, { learned: [...others, { action, needs: wanted, triggers }, ...pedals] });
}
function forget(action: Taught): void {
  for (const port of keyboards.ports) {
    const { learned } = keyboards.settingsOf(port.id);
    if (learned.some((l) => l.action === action))
      void keyboards.change(port.id, { learned: learned.filter((l) => l.action !== action) });
  }
}
function quit(): void {
  isReady = false;
  keyboards.learner = null;
  learning.value = null;
}
onBeforeUnmount(quit);
</script>

<template>
  <section class="sheet hands" aria-label="Hands-free">
    <h2>Hands-free</h2>
    <p class="quiet">
      Teach a spare key or a pedal what to do. What it sends is then never recorded. Ask for a double press or a chord
      of a key you also play.
    </p>
    <div class="ready">
      <v-btn size="small" variant="outlined" :disabled="learning !== null" @click="takeReady"
        >Take the ready-made set</v-btn
      >
      <p class="quiet">
        One key that you never play, the lowest say: while you hold it, the other keys are commands, each shown at the
        foot of the page. With it, Record is the soft pedal pressed twice, and Go again the sostenuto pedal pressed
        twice; both go on being pedals.
      </p>
    </div>
    <div class="ready">
      <ChoiceGroup label="How a command from a key is confirmed">
        <Choice
          v-for="c in CONFIRMS"
          :key="c"
          size="x-small"
          :on="preferences.confirms === c"
          :disabled="c === 'word' && !confirming.speaks"
          @click="preferences.confirms = c"
          >{{ CONFIRM_NAMES[c] }}</Choice
        >
      </ChoiceGroup>
      <p class="quiet">
        {{
          confirming.speaks
            ? 'How a command from a key or a pedal is confirmed. Never while a pass records.'
            : 'How a command from a key or a pedal is confirmed. This system has no voice of its own for words.'
        }}
      </p>
    </div>
    <div v-for="{ action, name } in ROWS" :key="action" class="row">
      <span>{{ name }}</span>
      <span v-if="learning === action" class="learning" role="status">{{
        (needs[action] ?? 'press') === 'chord' ? 'Hold the chord, then release it' : 'Press the key or pedal'
      }}</span>
      <span v-else class="quiet what">{{ taught.wordsOf(action) || 'not taught' }}</span>
      <SmallSelect
        :model-value="needs[action] ?? taught.known.value.get(action)?.command.needs ?? 'press'"
        :items="NEEDS"
        :label="`What ${name} asks for`"
        @update:model-value="(wanted: LearnedCommand['needs']) => (needs = { ...needs, [action]: wanted })"
      />
      <v-btn v-if="learning === action" size="small" variant="outlined" @click="quit">Leave it</v-btn>
      <v-btn v-else size="small" variant="outlined" :aria-label="`Teach ${name}`" @click="teach(action)">Teach</v-btn>
      <v-btn
        size="small"
        variant="text"
        :disabled="!taught.known.value.has(action)"
        :aria-label="`Forget ${name}`"
        @click="forget(action)"
        >Forget</v-btn
      >
    </div>
  </section>
</template>

<style scoped>
.hands {
  padding: 12px 16px;
  display: grid;
  gap: 6px;
}
.hands h2 {
  font: 600 18px var(--names);
  margin: 0;
}
.hands p {
  margin: 0;
  font-size: 13px;
}
.row {
  display: grid;
  grid-template-columns: 230px 1fr 150px auto auto;
  gap: 8px;
  align-items: center;
  font-size: 14px;
}
.what {
  font-size: 13px;
}
.ready {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 12px;
  align-items: center;
}
.learning {
  color: var(--copper-ink);
  font-weight: 600;
}
.field {
  font-size: 13px;
}
</style>
