import stylistic from '@stylistic/eslint-plugin'
import prettier from 'eslint-config-prettier'
import vue from 'eslint-plugin-vue'
import tseslint from 'typescript-eslint'

/** The floors of src/, from below: a folder imports only from those before it, and from itself. */
const floors = [
  'api',
  'cell',
  'scene',
  'settings',
  'what',
  'when',
  'where',
  'findings',
  'actions',
  'picture',
  'workspace',
  'pages',
]
/** Folders that know no store, nor what is on screen: pure drawing and arithmetic. */
const pure = { scene: ['api'] }

const mayNotImport = (folder) => {
  const allowed = pure[folder] ?? floors.slice(0, floors.indexOf(folder))
  const barred = floors.filter((other) => other !== folder && !allowed.includes(other))
  const group = barred.map((other) => `**/${other}/*`)
  if (!group.length) return {}
  const message = `${folder}/ stands below this, or is to know nothing of it: see docs/architecture.md`
  return { 'no-restricted-imports': ['error', { patterns: [{ group, message }] }] }
}

/** Colours are those of the themes in scene/look.ts; styles are looked after by stylelint. */
const HEX = '/^#([0-9a-f]{3,4}|[0-9a-f]{6}|[0-9a-f]{8})$/i'
const noColours = [
  { selector: `Literal[value=${HEX}]`, message: 'A colour: name it in scene/look.ts.' },
  { selector: `TemplateElement[value.raw=${HEX}]`, message: 'A colour: name it in scene/look.ts.' },
]

/** What a template does is one call or one assignment: all else has a name in the script. */
const message = 'More than one thing at once: give it a name in the script.'
const noHiddenStatements = [
  { selector: 'SequenceExpression', message },
  { selector: 'VOnExpression[body.length>1]', message },
  {
    selector: 'ConditionalExpression > ConditionalExpression',
    message: 'Do not nest ternary expressions.',
  },
]

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/recommended'],
  // How it is laid out is Prettier's: but that leaves long words and long texts as they are.
  prettier,
  {
    plugins: { '@stylistic': stylistic },
    rules: {
      'no-sequences': 'error',
      'no-nested-ternary': 'error',
      '@stylistic/max-len': ['error', { code: 100, ignoreUrls: true }],
    },
  },
  {
    files: ['src/**/*.{ts,vue}'],
    ignores: ['src/scene/look.ts', '**/*.test.ts'],
    rules: {
      'no-restricted-syntax': ['error', ...noColours],
      'vue/no-restricted-syntax': ['error', ...noColours, ...noHiddenStatements],
    },
  },
  {
    files: ['**/*.vue'],
    languageOptions: { parserOptions: { parser: tseslint.parser } },
    rules: {
      'vue/multi-word-component-names': 'off',
      'vue/valid-v-slot': ['error', { allowModifiers: true }],
    },
  },
  ...floors.map((folder) => ({
    files: [`src/${folder}/**/*.{ts,vue}`],
    ignores: ['**/*.test.ts'],
    rules: mayNotImport(folder),
  })),
)
