import js from '@eslint/js';
import prettier from 'eslint-config-prettier';

const browser = Object.fromEntries(
  'AbortController addEventListener devicePixelRatio Blob DOMParser Event FormData Image Path2D ResizeObserver URL URLSearchParams WebSocket atob cancelAnimationFrame clearInterval clearTimeout console createImageBitmap document fetch getComputedStyle history innerHeight innerWidth localStorage location matchMedia navigator performance requestAnimationFrame setInterval setTimeout structuredClone window ImageData ClipboardItem CSS Element Node DOMException AbortSignal OffscreenCanvas sessionStorage queueMicrotask'
    .split(' ')
    .map((name) => [name, 'readonly']),
);

export default [
  { ignores: ['**/bin/**', '**/obj/**', '**/wwwroot/lib/**', 'node_modules/**'] },
  js.configs.recommended,
  {
    files: ['src/Plenk.Web/wwwroot/js/**/*.js'],
    languageOptions: { ecmaVersion: 2024, sourceType: 'module', globals: browser },
    rules: {
      'no-restricted-properties': [
        'error',
        { property: 'innerHTML', message: 'Names come from people: nodes are made, no HTML by string.' },
        { property: 'outerHTML', message: 'Names come from people: nodes are made, no HTML by string.' },
        { property: 'insertAdjacentHTML', message: 'Names come from people: nodes are made, no HTML by string.' },
      ],
      'no-unused-vars': ['error', { argsIgnorePattern: '^_', caughtErrors: 'none' }],
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'prefer-const': 'error',
      'no-var': 'error',
      'no-control-regex': 'off',
    },
  },
  {
    files: ['scripts/**/*.mjs', 'docs/**/*.mjs', 'tests/js/*.mjs', 'eslint.config.mjs'],
    languageOptions: {
      ecmaVersion: 2024,
      sourceType: 'module',
      globals: Object.fromEntries(
        ['process', 'console', 'fetch', 'FormData', 'Blob', 'Buffer', 'URL', 'setTimeout'].map((name) => [name, 'readonly']),
      ),
    },
  },
  prettier,
];
