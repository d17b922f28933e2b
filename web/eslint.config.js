import js from '@eslint/js';
import hooks from 'eslint-plugin-react-hooks';
import { defineConfig, globalIgnores } from 'eslint/config';
import globals from 'globals';
import ts from 'typescript-eslint';

export default defineConfig(globalIgnores(['dist', 'src/api/schema.gen.d.ts']), {
  files: ['src/**/*.{ts,tsx}'],
  extends: [js.configs.recommended, ts.configs.strictTypeChecked, hooks.configs.flat.recommended],
  languageOptions: {
    globals: globals.browser,
    parserOptions: { projectService: true, tsconfigRootDir: import.meta.dirname },
  },
  rules: { '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }] },
});
