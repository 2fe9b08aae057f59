/** The directions in which the rooms of src/ may import each other; docs/architecture.md tells the story. */
const only = (room, allowed) => ({
  name: `${room}-imports-only-${['itself', ...allowed].join('-')}`,
  severity: 'error',
  comment: `src/${room} may import ${['itself', ...allowed.map((name) => `src/${name}`)].join(', ')} and packages.`,
  from: { path: `^src/${room}/` },
  to: { path: '^src/', pathNot: `^src/(${[room, ...allowed].join('|')})/` },
});

module.exports = {
  forbidden: [
    only('core', []),
    only('client', []),
    only('store', ['core']),
    only('server', ['core']),
    only('project', ['core', 'store']),
    only('cli', ['core', 'store', 'server', 'project']),
    {
      name: 'core-has-no-interface',
      severity: 'error',
      comment: 'Core knows no file system, socket, process, terminal, command line, web server or database driver.',
      from: { path: '^src/core/' },
      to: {
        path: '^(node:)?(fs|fs/promises|net|http|https|http2|dgram|dns|tls|child_process|cluster|process|readline|tty|os|worker_threads|timers|perf_hooks)$|node_modules/(fastify|yargs|libsql|pg|pino|cli-table3|picocolors)/',
      },
    },
    { name: 'no-circles', severity: 'error', from: {}, to: { circular: true, dependencyTypesNot: ['type-only'] } },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'node', 'default', 'types'] },
  },
};
