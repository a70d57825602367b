/** `npm run count`: how large the program is and how hard to read, by the figures that should not grow. */
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import { ESLint } from 'eslint';

const PRODUCT = ['app', 'core', 'engine', 'server', 'demo', 'scripts'];
const TESTS = ['e2e', 'harness', 'soak'];
const LONGEST_FUNCTION = 60;
const MOST_WAYS = 15;

const listed = (rooms) =>
  execFileSync('git', ['ls-files', '-z', ...rooms], { encoding: 'utf8' })
    .split('\0')
    .filter((file) => /\.(ts|vue|mjs|js)$/.test(file));
const isTest = (file) => file.endsWith('.test.ts') || file.includes('/testing/');
const linesOf = (files) => files.reduce((sum, file) => sum + readFileSync(file, 'utf8').split('\n').length - 1, 0);
const styleLines = (file) =>
  [...readFileSync(file, 'utf8').matchAll(/<style scoped>\n(.*?)<\/style>/gs)].reduce(
    (sum, [, styles]) => sum + styles.split('\n').length - 1,
    0,
  );

const all = listed(PRODUCT);
const product = all.filter((file) => !isTest(file));
const tests = [...all.filter(isTest), ...listed(TESTS)];

const LENGTH = 'max-lines-per-function';
const ASSERTION = '@typescript-eslint/no-non-null-assertion';
const eslint = new ESLint({
  overrideConfig: {
    rules: {
      [LENGTH]: ['error', { max: LONGEST_FUNCTION, skipBlankLines: true, skipComments: true }],
      complexity: ['error', MOST_WAYS],
      [ASSERTION]: 'error',
    },
  },
});
const found = (await eslint.lintFiles(product)).flatMap(({ messages }) => messages.map(({ ruleId }) => ruleId));
const count = (rule) => found.filter((id) => id === rule).length;

const lines = linesOf(product);
const testLines = linesOf(tests);
const figures = {
  'lines of product code': lines,
  'lines of tests': `${testLines} (${Math.round((100 * testLines) / (lines + testLines))} in 100 of both)`,
  [`functions over ${LONGEST_FUNCTION} lines`]: count(LENGTH),
  [`functions with more than ${MOST_WAYS} ways through them`]: count('complexity'),
  'non-null assertions': count(ASSERTION),
  'scoped style lines': product.filter((f) => f.endsWith('.vue')).reduce((sum, f) => sum + styleLines(f), 0),
};
for (const [what, figure] of Object.entries(figures)) console.log(`${what.padEnd(48)} ${figure}`);
