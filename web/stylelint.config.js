/** Colours come from the theme: `scene/look.ts`. How it is laid out is Prettier's. */
export default {
  overrides: [{ files: ['**/*.vue'], customSyntax: 'postcss-html' }],
  rules: {
    'color-no-hex': true,
    'color-named': 'never',
    'function-disallowed-list': ['rgba', 'hsl', 'hsla', 'hwb', 'lab', 'lch', 'oklab', 'oklch'],
    'declaration-property-value-disallowed-list': { '/.*/': ['/rgb\\((?!var\\()/'] },
    'declaration-no-important': null,
  },
}
