import pluginVue from 'eslint-plugin-vue'
import { defineConfigWithVueTs, vueTsConfigs } from '@vue/eslint-config-typescript'
import skipFormatting from '@vue/eslint-config-prettier/skip-formatting'

export default defineConfigWithVueTs(
  { ignores: ['**/dist/**', '**/node_modules/**', 'target/**', '**/schema.d.ts', 'e2e/test-results/**'] },
  { files: ['**/*.{ts,vue,js}'] },
  pluginVue.configs['flat/recommended'],
  vueTsConfigs.recommended,
  {
    // Controls come from the component library, or from ui/ where the bench needs more than it has.
    files: ['web/src/**/*.vue'],
    ignores: ['web/src/ui/**'],
    rules: {
      'vue/no-restricted-html-elements': [
        'error',
        ...['button', 'input', 'select', 'textarea', 'table', 'details', 'dialog', 'progress'].map(
          (element) => ({
            element,
            message: 'Use the component library, or a part of ui/.',
          }),
        ),
      ],
    },
  },
  skipFormatting,
)
