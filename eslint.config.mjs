// Lint of the console and of the JavaScript client. Types are checked by the
// compiler, formatting is nobody's business: what is left are mistakes.
import hooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'

export default [
  { ignores: ['**/dist/**', '**/build/**', '**/node_modules/**', 'console/src/api/schema.d.ts', 'demo/**', 'corpus/**', 'e2e/**'] },
  ...ts.configs.recommended,
  {
    files: ['console/src/**/*.{ts,tsx}'],
    plugins: { 'react-hooks': hooks },
    rules: { // without those that only serve a compiler that is not used here
      'react-hooks/rules-of-hooks': 'error',
      'react-hooks/exhaustive-deps': 'error',
      'react-hooks/purity': 'error',
      'react-hooks/static-components': 'error',
      'react-hooks/set-state-in-render': 'error',
      'react-hooks/use-memo': 'error',
    },
  },
  {
    rules: {
      eqeqeq: ['error', 'always', { null: 'ignore' }],
      'no-eval': 'error',
      'no-implied-eval': 'error',
      'no-restricted-syntax': ['error', { selector: "JSXAttribute[name.name='dangerouslySetInnerHTML']", message: 'text of others is no markup' }],
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
    },
  },
]
