import vue from 'eslint-plugin-vue'
import ts from 'typescript-eslint'

export default ts.config(
  {
    ignores: [
      'dist/**',
      'node_modules/**',
      '.data/**',
      'components.d.ts',
      '.dependency-cruiser.cjs',
      '**/*.as.ts',
      'test-results/**',
      'playwright-report/**',
    ],
  },
  ...ts.configs.recommendedTypeChecked,
  ...vue.configs['flat/recommended'],
  {
    languageOptions: {
      parserOptions: {
        projectService: { allowDefaultProject: ['*.js', 'scripts/*.mjs', 'src/core/*/*.test.ts'] },
        tsconfigRootDir: import.meta.dirname,
        extraFileExtensions: ['.vue'],
      },
    },
    rules: {
      '@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }],
      '@typescript-eslint/restrict-template-expressions': 'off',
      '@typescript-eslint/no-non-null-assertion': 'error',
      '@typescript-eslint/require-await': 'off',
      '@typescript-eslint/only-throw-error': 'off',
      '@typescript-eslint/no-misused-promises': ['error', { checksVoidReturn: false }],
      'max-lines': ['error', { max: 500, skipBlankLines: true }],
    },
  },
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser } } },
  {
    files: ['**/*.vue'],
    rules: {
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/first-attribute-linebreak': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/html-indent': 'off',
      'vue/attributes-order': 'off',
      'vue/no-mutating-props': 'error',
      'vue/require-default-prop': 'off',
    },
  },
  // ESLint cannot see the types that one .vue file exports to another; vue-tsc checks those.
  { files: ['src/web/**'], ...ts.configs.disableTypeChecked, languageOptions: { ...ts.configs.disableTypeChecked.languageOptions } },
  { files: ['**/*.vue'], languageOptions: { parserOptions: { parser: ts.parser, projectService: false, program: null, project: false } } },
  { files: ['**/*.js', '**/*.mjs', '**/*.test.ts', 'e2e/**', 'bench/**', '**/fixtures/**'], ...ts.configs.disableTypeChecked },
)
