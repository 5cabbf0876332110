/** The arrows between rooms run downward only; any other, and any cycle, is an error. */
const room = (name) => `^src/${name}/`;
const only = (from, allowed) => ({
  name: `${from}-arrows`, severity: 'error',
  comment: `src/${from} may reach ${allowed.length ? allowed.map((to) => `src/${to}`).join(', ') : 'no other room'}`,
  from: { path: room(from), pathNot: '(\\.test\\.tsx?$|/testing/)' },
  to: { path: '^src/', pathNot: [room(from), ...allowed.map(room)] },
});

module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
    only('core', []),
    only('data', ['core']),
    only('server', ['data', 'core']),
    only('ui', ['core']),
    only('app', ['ui', 'server', 'data', 'core']),
    only('outside', []),
    only('demo', ['core']),
    {
      name: 'core-has-no-io', severity: 'error', comment: 'src/core runs anywhere: no Node, no React, no database',
      from: { path: room('core'), pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    { name: 'core-libraries', severity: 'error', from: { path: room('core'), pathNot: '\\.test\\.ts$' }, to: { path: 'node_modules/(react|next|knex|pg|nodemailer|graphile-worker)/' } },
    { name: 'ui-has-no-database', severity: 'error', from: { path: room('ui') }, to: { path: 'node_modules/(knex|pg|graphile-worker)/' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default'] },
  },
};
