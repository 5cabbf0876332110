/** The arrows between rooms run downward only; any other, and any cycle, is an error. */
const room = (name) => `^src/${name}/`;
const only = (from, allowed) => ({
  name: `${from}-arrows`,
  severity: 'error',
  comment: `src/${from} may reach ${allowed.length ? allowed.map((to) => `src/${to}`).join(', ') : 'no other room'}`,
  from: { path: room(from), pathNot: '(\\.test\\.tsx?$|/testing/)' },
  to: { path: '^src/', pathNot: [room(from), ...allowed.map(room)] },
});

module.exports = {
  forbidden: [
    { name: 'no-cycles', severity: 'error', from: {}, to: { circular: true, viaOnly: { dependencyTypesNot: ['type-only'] } } },
    {
      name: 'through-the-index',
      severity: 'error',
      comment: 'a room is entered through its index, by the rooms of its own floor',
      from: { path: '^src/(core|data|server|ui)/([^/]+)/', pathNot: '(\\.test\\.tsx?$|/testing/)' },
      to: { path: '^src/$1/[^/]+/', pathNot: ['^src/$1/$2/', '^src/$1/[^/]+/index\\.ts$'] },
    },
    {
      name: 'through-the-index-from-above',
      severity: 'error',
      comment: 'and by every floor above',
      from: { path: '^src/(app|ui|server|data|demo)/', pathNot: '(\\.test\\.tsx?$|/testing/)' },
      to: { path: '^src/(core|data|server|ui)/[^/]+/', pathNot: ['^src/$1/', '^src/(core|data|server|ui)/[^/]+/index\\.ts$'] },
    },
    only('core', []),
    only('data', ['core']),
    only('server', ['data', 'core']),
    only('ui', ['core']),
    only('app', ['ui', 'server', 'data', 'core']),
    only('outside', []),
    only('demo', ['core']),
    {
      name: 'core-has-no-io',
      severity: 'error',
      comment: 'src/core runs anywhere: no Node, no React, no database',
      from: { path: room('core'), pathNot: '\\.test\\.ts$' },
      to: { dependencyTypes: ['core'] },
    },
    {
      name: 'core-libraries',
      severity: 'error',
      from: { path: room('core'), pathNot: '\\.test\\.ts$' },
      to: { path: 'node_modules/(react|next|knex|pg|nodemailer|graphile-worker)/' },
    },
    { name: 'ui-has-no-database', severity: 'error', from: { path: room('ui') }, to: { path: 'node_modules/(knex|pg|graphile-worker)/' } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'require', 'node', 'default'] },
  },
};
