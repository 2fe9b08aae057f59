// npm run screenshots: docs/screenshots/, each a terminal that runs a command on the demo data. Needs Xvfb, xterm and
// ImageMagick; the report of a trial is a page in Chromium (Debian: xvfb, xterm, imagemagick, fonts-dejavu-core,
// chromium).
import { spawn, spawnSync } from 'node:child_process';
import {
  appendFileSync,
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readFileSync,
  rmSync,
  watch,
  writeFileSync,
} from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { createRequire } from 'node:module';
import { fileURLToPath } from 'node:url';
import puppeteer from 'puppeteer-core';

const root = fileURLToPath(new URL('..', import.meta.url));
const shots = join(root, 'docs/screenshots');
const folder = mkdtempSync(join(tmpdir(), 'vantfell-shots-'));

const broken = `model: hut
fields:
  name: { type: string, requird: true, maxLength: 60 }
  beds: { type: integer, minimum: 120, maximum: 1 }
  valley: { enum: [Askdal, Brattdal], default: Sulvik }
relations:
  warden: { to: membr }
rules:
  - { check: beds > 0 AND valey = 'Sulvik', message: must be in Sulvik }
  - { check: "valley <> 'Askdall'", message: must be elsewhere }
`;

/** What is typed, and what stands behind it. \`vantfell\` is the built program. */
const SHOTS = {
  demo: 'vantfell demo',
  outline: 'vantfell outline -C fell-huts',
  check: 'vantfell check -C broken',
  serve: `vantfell serve -C fell-huts --watch --trace & server=$!
until curl -s 127.0.0.1:8080/health/live > up; do sleep 0.2; done
api=127.0.0.1:8080/v1; token=$(vantfell token tor -C fell-huts)
curl -sG $api/huts -d limit=1 -d fields=name,beds > up; curl -s $api/hutz > up; curl -s $api/me > up
curl -s $api/me?fields=name -H "Authorization: Bearer $token" > up
sed -i 's/maxLength: 120/maxLenght: 120/' fell-huts/models/report.yaml; sleep 2; sed -i 's/maxLenght: 120/maxLength: 120/' fell-huts/models/report.yaml; sleep 2
kill $server; wait $server`,
  send: `vantfell send GET '/v1/huts?valley=Askdal&limit=2&fields=name,beds' -C fell-huts`,
  explain: `vantfell explain GET '/v1/huts?kind=staffed&sort=-beds&fields=name' -C fell-huts; echo
echo "$ vantfell explain GET '/v1/huts?valley=Askdal&sort=altitude_m&fields=name' -C fell-huts | tail -3"; vantfell explain GET '/v1/huts?valley=Askdal&sort=altitude_m&fields=name' -C fell-huts | tail -3`,
  add: `vantfell new tea-house; cd tea-house; echo
echo '$ vantfell add tea --field "name: string, required, maxLength 60" --field "kind: enum green | black"'
vantfell add tea --field "name: string, required, maxLength 60" --field "kind: enum green | black"; echo
echo '$ vantfell add tin --within tea --field "grams: intger"'; vantfell add tin --within tea --field "grams: intger"`,
  read: `vantfell serve -C fell-huts --quiet & server=$!
until curl -s 127.0.0.1:8080/health/live > up; do sleep 0.2; done
huts=127.0.0.1:8080/v1/huts; token=$(vantfell token tor -C fell-huts)
ask() { echo; echo "$ curl -sG $huts -H \\"Authorization: Bearer …\\" $1"; eval "curl -sG $huts $1" -H "'Authorization: Bearer $token'" | node pretty.mjs; }
ask "--data-urlencode \\"filter=beds >= 30 AND warden.name LIKE '%e%'\\" -d sort=-altitude_ft -d fields=name,altitude_ft,warden.name -d total=true -d limit=3"
ask "-d limit=1 -d sort=-nights_open -d fields=name,cheapest,warden.name,reports.severity,reports.author.name"
ask "-d view=crd -d include=wardn -d limit=1000"
kill $server; wait $server`,
  access: `vantfell serve -C fell-huts --quiet 2> log & server=$!
until curl -s 127.0.0.1:8080/health/live > up; do sleep 0.2; done
api=127.0.0.1:8080/v1; tor=$(vantfell token tor -C fell-huts)
ask() { echo; echo "$ curl \${2:+$2 }$api/$1"; curl -sG "$api/$1" "\${@:3}" | node pretty.mjs; }
as_tor=(-H "Authorization: Bearer $tor"); shown='-H "Authorization: Bearer $tor"'
ask 'huts?limit=1&fields=name,warden.name' ''
ask 'messages?limit=1' ''
ask 'me?fields=name,roles,phone' "$shown" "\${as_tor[@]}"
ask 'members?limit=4&fields=name,phone' "$shown" "\${as_tor[@]}"
ask 'members?phone=%2B99+555+0142' "$shown" "\${as_tor[@]}"
kill $server; wait $server`,
  compare: 'vantfell export openapi -C growing --compare old.json',
  seed: `vantfell seed -C fell-huts; echo; echo '$ vantfell seed -C bad-rows'; vantfell seed -C bad-rows`,
  migrate: `vantfell migrate draft -C growing --rename hut.about=hut.description --fill hut.beds=1; echo
echo '$ vantfell migrate run -C growing'; vantfell migrate run -C growing; echo
echo '$ vantfell migrate status -C growing'; vantfell migrate status -C growing; echo
echo '$ vantfell seed -C growing --generate 40 --model hut --random 7'; vantfell seed -C growing --generate 40 --model hut --random 7`,
  trial: `vantfell trial -C fell-huts | tail -4; echo; echo '$ vantfell trial -C spoiled --model report --only changed'
vantfell trial -C spoiled --model report --only changed; echo; echo '$ vantfell trial -C spoiled --model report --only tags'
vantfell trial -C spoiled --model report --only tags`,
  errors: `vantfell chek; echo; echo '$ vantfell check -C nowhere'; vantfell check -C nowhere; echo
echo '$ vantfell serve -C fell-huts (with the port taken)'
vantfell serve -C fell-huts --quiet & server=$!; sleep 2; vantfell serve -C fell-huts; kill $server; wait $server; echo; echo '$ vantfell --help'; vantfell --help`,
};

mkdirSync(shots, { recursive: true });
writeFileSync(join(folder, 'vantfell'), `#!/bin/sh\nexec node ${join(root, 'dist/cli/main.js')} "$@"\n`, {
  mode: 0o755,
});
const stringify = createRequire(import.meta.url).resolve('json-stringify-pretty-compact');
writeFileSync(
  join(folder, 'pretty.mjs'),
  `import { readFileSync } from 'node:fs';
import stringify from ${JSON.stringify(stringify)};
const text = stringify(JSON.parse(readFileSync(0, 'utf8')), { maxLength: 150 });
console.log(text);\n`,
);
spawnSync(join(folder, 'vantfell'), ['demo'], { cwd: folder });
cpSync(join(folder, 'fell-huts'), join(folder, 'bad-rows'), { recursive: true });
appendFileSync(
  join(folder, 'bad-rows/samples/nights.csv'),
  'a,grey-hutt,2026-06-30,29.00,12\nb,grey-hut,2026-06-31,29.005,-1\n',
);
spawnSync(join(folder, 'vantfell'), ['export', 'openapi', '-C', 'fell-huts', '--out', 'old.json'], { cwd: folder });
growProject(join(folder, 'growing'));
spoilProject();
mkdirSync(join(folder, 'broken/models'), { recursive: true });
writeFileSync(join(folder, 'broken/vantfell.yaml'), 'service: { name: Broken }\n');
writeFileSync(join(folder, 'broken/models/hut.yaml'), broken);
writeFileSync(join(folder, 'broken/models/member.yaml'), 'model: member\n');

// The server picks a free display, and says so when it is ready.
const screen = spawn('Xvfb', ['-displayfd', '3', '-screen', '0', '1280x800x24'], {
  stdio: ['ignore', 'ignore', 'ignore', 'pipe'],
});
const DISPLAY = await new Promise((resolve, reject) => {
  screen.stdio[3].on('data', (text) => resolve(`:${String(text).trim()}`));
  screen.on('error', reject).on('exit', () => reject(new Error('Xvfb ended')));
});
try {
  const wanted = process.argv.slice(2);
  if (wanted.length === 0 || wanted.includes('report')) shootReport();
  if (wanted.length === 0 || wanted.includes('diagram')) shootDiagram();
  if (wanted.length === 0 || wanted.some((name) => name.startsWith('console'))) await shootConsole();
  for (const [name, command] of Object.entries(SHOTS)) {
    if (wanted.length === 0 || wanted.includes(name)) await shoot(name, command);
  }
} finally {
  screen.kill();
  rmSync(folder, { recursive: true, force: true });
}

/** A project with a hook that changes what it should leave alone, and one that throws. */
function spoilProject() {
  cpSync(join(folder, 'fell-huts'), join(folder, 'spoiled'), { recursive: true });
  writeFileSync(
    join(folder, 'spoiled/code/report.hooks.ts'),
    "import { hooks } from 'vantfell';\n\nexport default hooks('report', {\n  beforeCreate(draft) {\n" +
      "    if (draft.severity === 'urgent') draft.tags = ['urgent'];\n  },\n  beforeUpdate(change) {\n" +
      "    if (change.title?.startsWith('a')) change.title = change.title.trm();\n  },\n});\n",
  );
}

/** The report of a trial of which some cases fail, and some can't be established. */
function shootReport() {
  spawnSync(join(folder, 'vantfell'), ['trial', '-C', 'spoiled', '--report', 'report.html'], { cwd: folder });
  shootPage('report.html', 'report', '1280,1500');
}

/** The models, drawn. */
function shootDiagram() {
  spawnSync(join(folder, 'vantfell'), ['outline', '-C', 'fell-huts', '--diagram', 'diagram.svg'], { cwd: folder });
  const [, width, height] = /viewBox="0 0 (\d+) (\d+)"/.exec(readFileSync(join(folder, 'diagram.svg'), 'utf8'));
  shootPage('diagram.svg', 'diagram', `${width},${height}`);
}

/** The console: a record beside its list, two callers beside each other, and who may what. */
async function shootConsole() {
  const service = spawn(join(folder, 'vantfell'), ['serve', '-C', 'fell-huts', '--port', '0'], { cwd: folder });
  const address = await new Promise((resolve) => {
    let said = '';
    service.stderr.on('data', (chunk) => {
      const [found] = /http:\S+\/console\?key=[\w-]+/.exec((said += chunk)) ?? [];
      if (found !== undefined) resolve(found);
    });
  });
  const browser = await puppeteer.launch({ executablePath: '/usr/bin/chromium', args: ['--no-sandbox'] });
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  await page.goto(address);
  const click = async (within, text) => {
    await page.waitForFunction(
      `[...document.querySelectorAll('${within}')].some((one) => one.textContent.startsWith('${text}'))`,
    );
    for (const one of await page.$$(within)) {
      if ((await one.evaluate((element) => element.textContent)).startsWith(text)) return one.click();
    }
  };
  const shoot = async (name) => {
    await page.waitForNetworkIdle({ idleTime: 300 });
    await page.mouse.move(640, 790);
    await page.screenshot({ path: join(shots, `${name}.png`) });
    console.log(`docs/screenshots/${name}.png`);
  };
  await page.waitForSelector('.eyes select');
  await page.select('.eyes .switch:nth-child(1) select', 'member/ines');
  await click('.rail button', 'huts');
  await click('tbody button', 'Grey Hut');
  await page.waitForSelector('.journal li');
  await shoot('console');
  await click('.record header button', '×');
  await page.select('.eyes .switch:nth-child(2) select', 'member/tor');
  await click('.rail button', 'members');
  await page.waitForSelector('td.only-one');
  await shoot('console-beside');
  await click('.rail button', 'stays');
  await click('.top nav button', 'Who may what');
  await page.waitForSelector('.matrix td');
  await shoot('console-access');
  await browser.close();
  service.kill();
}

/** A file as Chromium shows it. */
function shootPage(file, name, size) {
  const safe = [
    '--headless',
    '--no-sandbox',
    '--disable-gpu',
    '--no-first-run',
    '--disable-background-networking',
    '--disable-component-update',
    '--disable-sync',
  ];
  spawnSync('chromium', [
    ...safe,
    `--user-data-dir=${join(folder, 'chromium')}`,
    `--window-size=${size}`,
    `--screenshot=${join(shots, `${name}.png`)}`,
    `file://${join(folder, file)}`,
  ]);
  console.log(`docs/screenshots/${name}.png`);
}

/** The demo with data, and with models that have changed since. */
function growProject(growing) {
  cpSync(join(folder, 'fell-huts'), growing, { recursive: true });
  const file = join(growing, 'models/hut.yaml');
  const text = readFileSync(file, 'utf8')
    .replace(
      '  about: { type: text, maxLength: 2000 }',
      '  description: { type: text, maxLength: 2000 }\n  telephone: { type: string, maxLength: 20 }',
    )
    .replace('  winter_room: { type: boolean, default: false }\n', '')
    .replace('minimum: 1, maximum: 120', 'minimum: 1, maximum: 60');
  writeFileSync(file, text);
}

async function shoot(name, command) {
  const done = join(folder, `${name}.done`);
  const shown = command.split(/\n|;| & /)[0].trim();
  const script =
    `PATH=${folder}:$PATH; cd ${folder}; clear; cat <<'SHOWN'\n` +
    `$ ${shown}\nSHOWN\n${command}\nprintf '\\033[?25l'; touch ${done}; sleep 60`;
  const finished = new Promise((resolve) => {
    const watcher = watch(folder, () => {
      if (!existsSync(done)) return;
      watcher.close();
      resolve();
    });
  });
  const look = [
    '-fa',
    'DejaVu Sans Mono',
    '-fs',
    '9',
    '-bg',
    '#15181c',
    '-fg',
    '#d7dce2',
    '-geometry',
    '156x51+0+0',
    '-b',
    '12',
  ];
  const terminal = spawn('xterm', [...look, '-e', 'bash', '-c', script], {
    env: { ...process.env, DISPLAY, TERM: 'xterm-256color' },
    stdio: 'ignore',
  });
  const closed = new Promise((_resolve, reject) => {
    terminal.on('error', reject).on('exit', () => reject(new Error(`the terminal of ${name} ended early`)));
  });
  await Promise.race([finished, closed]);
  // The terminal draws a moment after the program has written.
  await new Promise((resolve) => setTimeout(resolve, 400));
  spawnSync('import', ['-display', DISPLAY, '-window', 'root', '-strip', '-colors', '64', join(shots, `${name}.png`)]);
  terminal.removeAllListeners('exit').kill();
  console.log(`docs/screenshots/${name}.png`);
}
