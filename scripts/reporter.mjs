/**
 * Says one line for each test file or, where a test takes its time, for each test as it ends, and counts them. What it
 * counted is written as JSON to the file that `TALL_KETTLE_COUNTS` names. With `TALL_KETTLE_EACH` every test has its
 * line.
 */
import { writeFileSync } from 'node:fs';

const each = Boolean(process.env.TALL_KETTLE_EACH);
const MARKS = { passed: '✓', failed: '✗', skipped: '–' };
const seconds = (ms) => `${(ms / 1000).toFixed(1)} s`;
/** Words for a failure on short lines, with a law's seed and world. */
const said = (error) => `\n      ${String(error?.message).slice(0, 1000).trim().replaceAll('\n', '\n      ')}`;

export default class Counting {
  #counts = { passed: 0, failed: 0, skipped: 0, again: [], skips: [], failures: [] };

  onTestCaseResult(test) {
    const { state, errors } = test.result();
    const name = `${test.module.relativeModuleId} > ${test.fullName}`;
    this.#counts[state] += 1;
    const tries = 1 + (test.diagnostic()?.retryCount ?? 0) + (test.meta().again ?? 0);
    if (tries > 1) this.#counts.again.push(`${name} (${tries} tries)`);
    if (state === 'failed') this.#counts.failures.push(`${name}${said(errors?.[0])}`);
    const why = state === 'skipped' ? (test.result().note ?? 'switched off') : '';
    if (state === 'skipped') this.#counts.skips.push(`${name}: ${why}`);
    if (each || state === 'failed')
      console.log(`  ${MARKS[state]} ${name}  ${seconds(test.diagnostic()?.duration ?? 0)}${why ? `: ${why}` : ''}`);
    for (const error of errors ?? [])
      for (let e = error; e; e = e.cause)
        console.log(`${e.stack ?? e.message}${e.diff ? `\n${e.diff}` : ''}`.replaceAll(/^/gm, '      '));
  }

  onTestModuleEnd(module) {
    if (!each)
      console.log(
        `  ${MARKS[module.state()] ?? '✗'} ${module.relativeModuleId}  ${seconds(module.diagnostic().duration)}`,
      );
    for (const error of module.errors()) this.#broke(error);
  }

  onTestRunEnd(_, unhandled) {
    unhandled.forEach((error) => this.#broke(error));
    if (process.env.TALL_KETTLE_COUNTS) writeFileSync(process.env.TALL_KETTLE_COUNTS, JSON.stringify(this.#counts));
  }

  /** A suite that failed to load, or an error outside tests, has no failed test. */
  #broke(error) {
    this.#counts.failed += 1;
    this.#counts.failures.push(`outside a test${said(error)}`);
    console.log(`  ✗ ${error.stack ?? error.message}`);
  }
}
