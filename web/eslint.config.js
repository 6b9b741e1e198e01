import js from '@eslint/js'
import a11y from 'eslint-plugin-jsx-a11y'
import hooks from 'eslint-plugin-react-hooks'
import ts from 'typescript-eslint'

export default ts.config(
  { ignores: ['dist', 'src/api/schema.gen.ts'] },
  js.configs.recommended,
  ...ts.configs.strict,
  a11y.flatConfigs.strict,
  // Our own fields are controls, so that labels around them count and their props are looked at.
  { settings: { 'jsx-a11y': { components: { Input: 'input', NumberInput: 'input', Select: 'select', TextArea: 'textarea' } } } },
  { plugins: { 'react-hooks': hooks }, rules: {
      ...hooks.configs.recommended.rules,
      // It warns of memoizing by a compiler that this build does not use.
      'react-hooks/incompatible-library': 'off',
      // Only where one comes to type or to decide: the login page and what opens over a page.
      'jsx-a11y/no-autofocus': 'off',
    },
  },
)
