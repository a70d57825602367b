import { readdirSync } from 'node:fs';
import ts from 'typescript-eslint';
import vue from 'eslint-plugin-vue';
import vueParser from 'vue-eslint-parser';
import prettier from 'eslint-config-prettier';

/** The rooms a room may not look into. */
const CLOSED = {
  core: ['engine', 'app', 'server', 'demo', 'bench', 'e2e', 'soak', 'harness'],
  engine: ['app', 'server', 'demo', 'bench', 'e2e', 'soak', 'harness'],
  server: ['app', 'bench', 'e2e', 'soak', 'harness'],
  demo: ['app', 'bench', 'e2e', 'soak', 'harness'],
  harness: ['bench', 'e2e', 'soak'],
  bench: ['e2e', 'soak'],
  soak: ['bench', 'e2e'],
  e2e: ['bench', 'soak'],
};
/** Arbitraries for tests, and what is no code. */
const NO_PLACE = ['testing', 'assets'];
/**
 * The folders of a room, from the ground up: each may look into those before it, so no two look into each other. The
 * design lists the same.
 */
export const FOLDERS = {
  core: [
    ['vocabulary', 'time', 'performance', 'placement', 'timing', 'files', 'sampling', 'backing', 'takes', 'document'],
    ['recording', 'reading', 'song', 'import', 'picking', 'editing', 'client', 'handover', 'kept', 'archive'],
    ['lookback', 'linecheck'],
  ].flat(),
  engine: ['instrument', 'banks', 'worklet', 'transport', 'inputs', 'probes', 'clock', 'keyboards'],
  app: [
    [
      'workers',
      'api',
      'notices',
      'drawing',
      'controls',
      'sync',
      'kept',
      'song',
      'sound',
      'backings',
      'timing',
      'keyboards',
    ],
    ['look-back', 'transport', 'client', 'sheet', 'chart', 'stand', 'shell', 'desk', 'line-check'],
    ['set-up', 'play', 'pick', 'tidy', 'hand-over'],
    ['pages'],
  ].flat(),
  server: ['store', 'archive', 'handover', 'utils', 'middleware', 'plugins', 'api'],
};

// A folder that has no place in the order would be held to nothing.
for (const [room, listed] of Object.entries(FOLDERS)) {
  for (const { name } of readdirSync(room, { withFileTypes: true }).filter((entry) => entry.isDirectory())) {
    if (!listed.includes(name) && !NO_PLACE.includes(name))
      throw new Error(`${room}/${name} is not in the order of folders.`);
  }
}

const closedRooms = (room) => ({
  group: (CLOSED[room] ?? []).flatMap((other) => [`**/${other}/**`, `~~/${other}/**`]),
  message: `${room} does not import that room (Rooms in docs/design.md).`,
});
const laterFolders = (room, folder) => {
  const later = FOLDERS[room].slice(FOLDERS[room].indexOf(folder) + 1);
  return {
    group: later.flatMap((other) => [`../${other}/**`, `../../${other}/**`, `~/${other}/**`, `~~/${room}/${other}/**`]),
    message: `${room}/${folder} lies below that folder (the order is in eslint.config.mjs): move down what both need.`,
  };
};
const restricted = (...patterns) => {
  const given = patterns.filter(({ group }) => group.length > 0);
  return given.length > 0 ? ['error', { patterns: given }] : 'off';
};
/** Tests may look wherever they want: a law is about what lies above it. */
const inRoom = (room) => ({ files: [`${room}/**/*.ts`, `${room}/**/*.vue`], ignores: ['**/*.test.ts'] });
const rooms = [
  ...Object.keys(CLOSED).map((room) => ({
    ...inRoom(room),
    rules: { 'no-restricted-imports': restricted(closedRooms(room)) },
  })),
  ...Object.keys(FOLDERS).flatMap((room) =>
    FOLDERS[room].map((folder) => ({
      ...inRoom(`${room}/${folder}`),
      rules: { 'no-restricted-imports': restricted(closedRooms(room), laterFolders(room, folder)) },
    })),
  ),
];

/** Errors are told, thrown or logged; where one may go by without a word, a comment says why. */
const swallowed = {
  create(context) {
    const code = context.sourceCode;
    const check = (handler, body) => {
      const isTold = /\bthrow\b|\w\(/.test(code.getText(body));
      if (isTold || code.getCommentsInside(handler).length > 0) return;
      // The comment may stand before any statement or constant that the handler is a part of, up to its function.
      for (let node = handler; node && !/^Program$/.test(node.type); node = node.parent) {
        if (code.getCommentsBefore(node).length > 0) return;
        if (node !== handler && node.body?.type === 'BlockStatement' && node.type !== 'CatchClause') break;
      }
      context.report({ node: handler, message: 'An error is swallowed: tell it, or say in a comment why not.' });
    };
    return {
      CatchClause: (node) => node.param === null && check(node, node.body),
      'CallExpression[callee.property.name="catch"] > ArrowFunctionExpression[params.length=0]': (node) =>
        check(node, node.body),
    };
  },
};

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
    plugins: { own: { rules: { swallowed } } },
    rules: {
      'own/swallowed': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': 'error',
      '@typescript-eslint/no-non-null-assertion': 'off',
      'prefer-const': 'error',
      eqeqeq: 'error',
      'no-nested-ternary': 'error',
    },
  },
  {
    files: ['core/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
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
  ...rooms,
  // How code is laid out is Prettier's business.
  prettier,
  // What it cannot break is broken by hand.
  { files: ['**/*.ts', '**/*.vue', '**/*.mjs', 'harness/**/*.js'], rules: { 'max-len': ['error', { code: 120 }] } },
);
