import { defineStore } from 'pinia';
import { computed, shallowRef } from 'vue';
import { pass } from '~~/core/recording/pass';
import { IDLE, inPass, isRolling, type PassEffect, type PassInput, type PassState } from '~~/core/recording/state';

/** The pass's state, in its one place. Whoever wants to know what rolls or records reads it here. */
export const usePass = defineStore('pass', () => {
  const state = shallowRef<PassState>(IDLE);
  // The state is another with every key; what the screens show of it changes seldom, and they follow these.
  const phase = computed(() => state.value.phase);
  const plan = computed(() => state.value.plan);
  const loop = computed(() => state.value.loop);
  const rolling = computed(() => isRolling(state.value));
  /** True from the count to the end of the lead-out. */
  const recording = computed(() => inPass(state.value));

  /** Takes one input in. @returns what is to be done about it, in order */
  function step(input: PassInput): readonly PassEffect[] {
    const { state: next, effects } = pass(state.value, input);
    state.value = next;
    return effects;
  }

  return { state, phase, plan, loop, rolling, recording, step };
});
