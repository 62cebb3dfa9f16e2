import js from '@eslint/js'
import svelte from 'eslint-plugin-svelte'
import globals from 'globals'
import ts from 'typescript-eslint'

export default ts.config(
  js.configs.recommended,
  ...ts.configs.recommended,
  ...svelte.configs.recommended,
  { languageOptions: { globals: globals.browser } },
  {
    files: ['**/*.svelte', '**/*.svelte.ts'],
    languageOptions: { parserOptions: { parser: ts.parser } },
  },
  {
    rules: {
      // Addresses are built with the search that goes along from page to page.
      'svelte/no-navigation-without-resolve': 'off',
      // Reasons behind an ignored warning are told in the same comment; svelte-check knows unused ones.
      'svelte/no-unused-svelte-ignore': 'off',
      // Addresses are put together where they are used and never kept.
      'svelte/prefer-svelte-reactivity': 'off',
    },
  },
  { ignores: ['node_modules/', 'src/api/api.gen.ts'] },
)
