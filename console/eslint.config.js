import js from '@eslint/js'
import a11y from 'eslint-plugin-jsx-a11y'
import hooks from 'eslint-plugin-react-hooks'
import { defineConfig, globalIgnores } from 'eslint/config'
import typescript from 'typescript-eslint'

export default defineConfig(
  globalIgnores(['dist', 'public', 'src/api/types.generated.ts', '*.config.*']),
  js.configs.recommended,
  typescript.configs.strictTypeChecked,
  hooks.configs.flat.recommended,
  a11y.flatConfigs.recommended,
  {
    languageOptions: { parserOptions: { projectService: true } },
    rules: {
      // What the compiler lets be undefined is said to be there with `!` where the line before shows it.
      '@typescript-eslint/no-non-null-assertion': 'off',
      '@typescript-eslint/restrict-template-expressions': ['error', { allowNumber: true }],
      '@typescript-eslint/no-confusing-void-expression': ['error', { ignoreArrowShorthand: true }],
      '@typescript-eslint/no-unused-vars': ['error', { ignoreRestSiblings: true }],
      // The enums of the library of figures exist in its types only.
      '@typescript-eslint/no-unsafe-enum-assignment': 'off',
      '@typescript-eslint/no-unsafe-enum-comparison': 'off',
    },
  },
  {
    files: ['**/*.test.ts?(x)', 'src/test.*.ts'],
    rules: {
      '@typescript-eslint/require-await': 'off', // a stand-in for fetch has nothing to wait for
      '@typescript-eslint/no-unnecessary-condition': 'off', // what browsers have is asked for where there is none
      '@typescript-eslint/unbound-method': 'off',
    },
  },
)
