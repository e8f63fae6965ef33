// Common rules: those that ESLint, typescript-eslint and eslint-plugin-vue recommend, and Prettier for how it looks.
import js from '@eslint/js'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import typescript from 'typescript-eslint'

export default typescript.config(
  { ignores: ['dist', 'node_modules', 'src/api/schema.d.ts', 'wasm'] },
  js.configs.recommended,
  ...typescript.configs.recommended,
  ...vue.configs['flat/recommended'],
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: typescript.parser } },
  },
  {
    rules: {
      // vue-tsc knows what there is.
      'no-undef': 'off',
      // What is sure to be there is said to be with "!", as the compiler's strictest indexing asks for.
      '@typescript-eslint/no-non-null-assertion': 'off',
      // A name that begins with _ is left out on purpose.
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/no-unused-expressions': ['error', { allowShortCircuit: true, allowTernary: true }],
    },
  },
  prettier,
  {
    rules: {
      // Prettier breaks what it can; a list of classes it cannot.
      'max-len': ['error', { code: 120, ignorePattern: '^\\s*class="' }],
    },
  },
)
