import js from '@eslint/js';
import a11y from 'eslint-plugin-jsx-a11y';
import hooks from 'eslint-plugin-react-hooks';
import { defineConfig, globalIgnores } from 'eslint/config';
import globals from 'globals';
import ts from 'typescript-eslint';

export default defineConfig(globalIgnores(['dist', 'src/api/schema.gen.d.ts']), {
  files: ['src/**/*.{ts,tsx}'],
  extends: [
    js.configs.recommended,
    ts.configs.strictTypeChecked,
    hooks.configs.flat.recommended,
    a11y.flatConfigs.strict,
  ],
  languageOptions: {
    globals: globals.browser,
    parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
  },
  rules: {
    '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
    // A dialog that the trader has opened begins in its first field.
    'jsx-a11y/no-autofocus': 'off',
    // What scrolls by itself is a region that the keyboard reaches.
    'jsx-a11y/no-noninteractive-tabindex': ['error', { roles: ['region'], tags: [] }],
  },
});
