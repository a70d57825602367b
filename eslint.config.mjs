import ts from 'typescript-eslint';
import vue from 'eslint-plugin-vue';
import vueParser from 'vue-eslint-parser';
import prettier from 'eslint-config-prettier';

/** The rooms a room may not look into. */
const closed = (...rooms) => [
  'error',
  {
    patterns: [
      {
        group: rooms.flatMap((room) => [`**/${room}/**`, `~~/${room}/**`]),
        message: 'core imports nothing but itself; engine imports core; server imports core; nothing imports app.',
      },
    ],
  },
];

export default ts.config(
  { ignores: ['.nuxt', '.output', 'node_modules', '.data', '.cache', 'docs'] },
  ...ts.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parser: vueParser, parserOptions: { parser: ts.parser, sourceType: 'module' } },
    rules: { 'vue/multi-word-component-names': 'off', 'vue/attributes-order': 'off' },
  },
  {
    files: ['**/*.ts', '**/*.vue'],
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      'prefer-const': 'error',
      eqeqeq: 'error',
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-imports': closed('engine', 'app', 'server', 'demo', 'bench', 'e2e'),
      'no-restricted-globals': [
        'error',
        'window',
        'document',
        'performance',
        'process',
        'fetch',
        'setTimeout',
        'setInterval',
        'Date',
      ],
      'no-restricted-properties': ['error', { object: 'Math', property: 'random', message: 'Use the seeded source.' }],
    },
  },
  { files: ['engine/**/*.ts'], rules: { 'no-restricted-imports': closed('app', 'server', 'demo', 'bench', 'e2e') } },
  { files: ['server/**/*.ts', 'demo/**/*.ts'], rules: { 'no-restricted-imports': closed('app', 'bench', 'e2e') } },
  // How code is laid out is Prettier's business.
  prettier,
);
