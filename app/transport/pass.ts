import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { pass } from '~~/core/recording/pass';
import { IDLE, inPass, isRolling, type PassEffect, type PassInput, type PassState } from '~~/core/recording/state';

/** State of the pass. Every screen that shows what rolls or records reads it here. */
export const usePass = defineStore('pass', () => {
  const state = shallowRef<PassState>(IDLE);
  // The state object changes with every key; these values change seldom, so screens follow them.
  const phase = computed(() => state.value.phase);
  const plan = computed(() => state.value.plan);
  const loop = computed(() => state.value.loop);
  const rolling = computed(() => isRolling(state.value));
  /** True from the count to the end of the lead-out. */
  const recording = computed(() => inPass(state.value));

  /** Feeds one input to the pass. @returns effects to carry out, in order */
  function step(input: PassInput): readonly PassEffect[] {
    const { state: next, effects } = pass(state.value, input);
    state.value = next;
    return effects;
  }

  return { state, phase, plan, loop, rolling, recording, step };
});
