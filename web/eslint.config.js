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

export default tseslint.config(
  { ignores: ['dist', 'src/api/schema.d.ts'] },
  ...tseslint.configs.recommended,
  ...vue.configs['flat/essential'],
  {
    rules: { 'no-sequences': 'error', 'no-nested-ternary': 'error' },
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
