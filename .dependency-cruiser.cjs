/**
 * The rooms of src/, from the bottom up. Each imports from those below it alone, types included; rooms on one floor
 * don't know each other. docs/architecture.md says what is in each.
 */
const FLOORS = [
  ['core/text'],
  ['core/model'],
  ['core/declaration'],
  ['core/api'],
  ['core/sql'],
  ['core/expression'],
  ['core/tables'],
  ['core/store'],
  ['core/migrations'],
  ['core/rules'],
  ['core/search'],
  ['core/access'],
  ['core/resolve'],
  ['core/adopt'],
  ['core/query'],
  ['core/identity'],
  ['core/change'],
  ['core/samples'],
  ['core/http'],
  ['core/http/request'],
  ['core/http/endpoint'],
  ['core/trial', 'core/document'],
  ['core'],
  ['store/base', 'store/sql'],
  ['store/sqlite', 'store/postgres'],
  ['store'],
  ['project', 'server'],
  ['code-types.ts', 'client', 'console'],
  ['index.ts'],
  ['cli'],
];

const rooms = FLOORS.flat();

/** The files of a room, without those of rooms inside it. */
const filesOf = (room) => {
  const inside = rooms.filter((other) => other.startsWith(`${room}/`)).map((other) => other.slice(room.length + 1));
  if (room.endsWith('.ts')) return `^src/${room}$`;
  return inside.length === 0 ? `^src/${room}/` : `^src/${room}/(?!(${inside.join('|')})/)`;
};

const onlyDown = FLOORS.flatMap((floor, at) =>
  floor.map((room) => {
    const forbidden = FLOORS.slice(at)
      .flat()
      .filter((other) => other !== room);
    return {
      name: `${room.replace('.ts', '')}-imports-only-from-below`,
      severity: 'error',
      comment: `src/${room} may import from itself and from the rooms below it.`,
      from: { path: filesOf(room), pathNot: '[.]test[.]ts$' },
      to: { path: forbidden.map(filesOf).join('|') },
    };
  }),
).filter(({ to }) => to.path !== '');

module.exports = {
  forbidden: [
    ...onlyDown,
    {
      name: 'client-stands-alone',
      severity: 'error',
      comment: 'src/client goes into projects as it is: it imports nothing but itself.',
      from: { path: '^src/client/' },
      to: { path: '^src/(?!client/)' },
    },
    {
      name: 'console-stands-alone',
      severity: 'error',
      comment: 'src/console runs in a browser: all that it knows of a service comes over HTTP.',
      from: { path: '^src/console/' },
      to: { path: '^src/(?!console/)' },
    },
    {
      name: 'the-oracle-reads-for-itself',
      severity: 'error',
      comment: 'The oracle of trials shares no room with those that answer, so that the two can disagree.',
      from: { path: '^src/core/trial/oracle/' },
      to: { path: '^src/core/(change|query|http|store|sql|rules|samples|identity)/' },
    },
    {
      name: 'no-room-is-unknown',
      severity: 'error',
      comment: 'A new room needs its floor in .dependency-cruiser.cjs.',
      from: {},
      to: { path: '^src/', pathNot: rooms.map(filesOf).join('|') },
    },
    {
      name: 'core-has-no-interface',
      severity: 'error',
      comment: 'Core knows no file system, socket, process, terminal, command line, web server or database driver.',
      from: { path: '^src/core/' },
      to: {
        path:
          '^(node:)?(fs|fs/promises|net|http|https|http2|dgram|dns|tls|child_process|cluster|process|readline|tty|os|' +
          'worker_threads|timers|perf_hooks)$|node_modules/(yargs|libsql|pg|pino|cli-table3|picocolors)/',
      },
    },
    {
      name: 'no-circles',
      severity: 'error',
      comment: 'Types count: two files that need each other are one file, or three.',
      from: {},
      to: { circular: true },
    },
  ],
  options: {
    doNotFollow: { path: 'node_modules' },
    tsPreCompilationDeps: true,
    tsConfig: { fileName: 'tsconfig.json' },
    enhancedResolveOptions: { exportsFields: ['exports'], conditionNames: ['import', 'node', 'default', 'types'] },
  },
};
