import next from '@next/eslint-plugin-next';
import hooks from 'eslint-plugin-react-hooks';
import ts from 'typescript-eslint';

export default ts.config(
  { ignores: ['node_modules/**', '.next*/**', '.stryker/**', 'reports/**', '.data/**', 'next-env.d.ts', '.shots/**', 'test-results/**'] },
  ...ts.configs.recommended,
  {
    files: ['**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks, '@next/next': next },
    rules: {
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/consistent-type-imports': ['error', { fixStyle: 'inline-type-imports', disallowTypeAnnotations: false }],
      'max-len': ['error', { code: 160, ignoreTemplateLiterals: true, ignoreRegExpLiterals: true }],
      eqeqeq: 'error',
      'no-console': 'error',
    },
  },
  {
    // the computation knows no clock and no chance of its own
    files: ['src/core/**/*.ts'],
    ignores: ['src/core/**/*.test.ts'],
    rules: {
      'no-restricted-globals': ['error', 'fetch', 'process', 'window', 'document', 'setTimeout', 'setInterval'],
      'no-restricted-properties': ['error', { object: 'Date', property: 'now' }, { object: 'Math', property: 'random' }],
    },
  },
  {
    // ours fetches nothing before somebody goes there
    files: ['src/**'],
    ignores: ['src/ui/kit/Link.tsx'],
    rules: { 'no-restricted-imports': ['error', { name: 'next/link', message: 'Use Link of the kit.' }] },
  },
  { files: ['scripts/**', 'bench/**', 'e2e/**'], rules: { 'no-console': 'off' } },
);
