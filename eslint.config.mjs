import reactHooks from 'eslint-plugin-react-hooks';
import tseslint from 'typescript-eslint';

/** An engine takes some hundred thousand arguments and no more; a long file has more lines. */
const SPREAD_ARGUMENTS = {
  selector: 'CallExpression[callee.property.name=/^(push|fromCharCode)$/] > SpreadElement',
  message: 'Arguments are limited in number: pass one by one, or concat.',
};

export default tseslint.config(
  {
    ignores: [
      '**/dist/**',
      '**/node_modules/**',
      '.jadefence/**',
      'coverage/**',
      '.dependency-cruiser.cjs',
      '**/kernel-bytes.ts',
    ],
  },
  { files: ['**/*.{ts,tsx,mjs}'], extends: [tseslint.configs.recommended] },
  {
    files: ['**/*.{ts,tsx}'],
    languageOptions: { parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname } },
    rules: {
      '@typescript-eslint/no-floating-promises': 'error',
      '@typescript-eslint/no-misused-promises': [
        'error',
        { checksVoidReturn: { attributes: false, arguments: false } },
      ],
      '@typescript-eslint/await-thenable': 'error',
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports' }],
      // A default that throws, or that covers what all others have in common, is exhaustive.
      '@typescript-eslint/switch-exhaustiveness-check': ['error', { considerDefaultExhaustiveForUnions: true }],
      '@typescript-eslint/no-unnecessary-condition': 'off',
      '@typescript-eslint/no-non-null-assertion': 'off',
    },
  },
  {
    files: ['**/*.{ts,tsx,mjs}'],
    rules: {
      '@typescript-eslint/no-unused-vars': [
        'error',
        {
          argsIgnorePattern: '^_',
          varsIgnorePattern: '^_',
          destructuredArrayIgnorePattern: '^_',
          ignoreRestSiblings: true,
        },
      ],
      'eqeqeq': ['error', 'always', { null: 'ignore' }],
      'max-lines': ['error', { max: 400 }],
      'max-lines-per-function': ['error', { max: 80, skipComments: true, skipBlankLines: true }],
      'no-console': 'error',
      'no-control-regex': 'off',
    },
  },
  // AssemblyScript knows no imports of types.
  { files: ['packages/core/kernel/*.ts'], rules: { '@typescript-eslint/consistent-type-imports': 'off' } },
  { files: ['packages/console/**/*.tsx'], ...reactHooks.configs.flat.recommended },
  {
    files: ['packages/*/src/**/*.{ts,tsx}'],
    ignores: ['**/*.test.ts'],
    rules: { 'no-restricted-syntax': ['error', SPREAD_ARGUMENTS] },
  },
  {
    files: ['packages/core/src/**/*.ts'],
    ignores: ['**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'process', 'Buffer', 'setTimeout', 'fetch', 'performance'],
      'no-restricted-syntax': [
        'error',
        SPREAD_ARGUMENTS,
        {
          selector: "MemberExpression[object.name='Math'][property.name='random']",
          message: 'Nothing in the core is random.',
        },
        {
          selector: "CallExpression[callee.object.name='Date'][callee.property.name='now']",
          message: 'The core has no clock.',
        },
        { selector: "NewExpression[callee.name='Date'][arguments.length=0]", message: 'The core has no clock.' },
      ],
    },
  },
  {
    files: ['packages/cli/bin/*.mjs', 'demo/src/make-log.ts', 'bench/src/**', 'scripts/**'],
    rules: { 'no-console': 'off' },
  },
  { files: ['**/*.test.ts', 'e2e/**', '**/migrations/*.ts'], rules: { 'max-lines-per-function': 'off' } },
);
