import vueTs from '@vue/eslint-config-typescript'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'

/** How code is laid out is Prettier's; what it says is looked at here. */
export default [
  { ignores: ['dist/**', 'src/api/schema.d.ts'] },
  ...vue.configs['flat/recommended'],
  ...vueTs(),
  prettier,
  {
    files: ['src/**/*.{ts,vue}', 'receiver/*.js'],
    rules: {
      'vue/multi-word-component-names': 'off',
      'vue/max-len': [
        'error',
        {
          code: 120,
          template: 120,
          ignoreStrings: true,
          ignoreTemplateLiterals: true,
          ignoreUrls: true,
          ignoreHTMLAttributeValues: true,
          ignoreHTMLTextContents: true,
        },
      ],
    },
  },
]
