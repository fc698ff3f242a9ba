import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';

export default ts.config(
    { ignores: ['dist', 'node_modules', 'src/lib/types'] },
    ...ts.configs.recommended,
    ...svelte.configs.recommended,
    { languageOptions: { globals: globals.browser } },
    { files: ['**/*.svelte', '**/*.svelte.ts'], languageOptions: { parserOptions: { parser: ts.parser } } },
);
