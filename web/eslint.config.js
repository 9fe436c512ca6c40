import vueTs from '@vue/eslint-config-typescript'
import vue from 'eslint-plugin-vue'

export default [
  { ignores: ['dist/**', 'src/api/schema.d.ts'] },
  ...vue.configs['flat/recommended'],
  ...vueTs(),
  {
    files: ['src/**/*.{ts,vue}'],
    rules: {
      'vue/max-attributes-per-line': 'off',
      'vue/singleline-html-element-content-newline': 'off',
      'vue/html-self-closing': 'off',
      'vue/html-indent': 'off',
      'vue/html-closing-bracket-newline': 'off',
      'vue/multiline-html-element-content-newline': 'off',
      'vue/multi-word-component-names': 'off',
    },
  },
]
