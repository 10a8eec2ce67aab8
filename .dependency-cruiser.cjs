// Imports point one way: every folder may know those before it, and none after it.
const LAYERS = ['condition', 'rulebook', 'viewpoint', 'client', 'react', 'sql', 'documents', 'store', 'review', 'prove', 'http', 'entries']
const CORE = '^src/(condition|rulebook|viewpoint|client)/|^src/entries/(pachter|client|condition|json)\\.ts$'

module.exports = {
  forbidden: [
    ...LAYERS.slice(0, -1).map((layer, at) => ({
      name: `${layer}-knows-only-what-is-before-it`,
      severity: 'error',
      from: { path: `^src/${layer}/` },
      to: { path: `^src/(${LAYERS.slice(at + 1).join('|')})/` },
    })),
    {
      name: 'the-core-needs-nothing-at-run-time',
      comment: 'condition, rulebook and viewpoint run in a browser, with no package and no Node API.',
      severity: 'error',
      from: { path: CORE },
      to: { dependencyTypesNot: ['local', 'type-only'], pathNot: '^src/' },
    },
    {
      name: 'no-cycles',
      comment: 'Imports of types alone count: what names another part has to be understood with it.',
      severity: 'error',
      from: { path: '^(src|cli/src|cli/page|examples)/' },
      to: { circular: true },
    },
    {
      name: 'the-command-uses-the-package',
      comment: 'The command is a package of its own: of the library it imports what that exports.',
      severity: 'error',
      from: { path: '^cli/' },
      to: { path: '^src/' },
    },
    { name: 'the-library-knows-no-command', severity: 'error', from: { path: '^src/' }, to: { path: '^cli/' } },
    {
      name: 'the-library-needs-no-package',
      comment: 'What it can work with are optional peers; nothing is installed along with it.',
      severity: 'error',
      from: { path: '^src/' },
      to: { dependencyTypes: ['npm', 'npm-dev'], dependencyTypesNot: ['npm-peer', 'type-only'] },
    },
    { name: 'examples-use-the-package', severity: 'error', from: { path: '^examples/' }, to: { path: '^src/' } },
    { name: 'the-source-knows-no-example-or-test', severity: 'error', from: { path: '^src/' }, to: { path: '^(examples|test|bench)/' } },
  ],
  options: { doNotFollow: { path: 'node_modules' }, tsPreCompilationDeps: true, tsConfig: { fileName: 'tsconfig.json' } },
}
