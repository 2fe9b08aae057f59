// The metrics as a real scraper takes them, of one process and of several.
import { spawn } from 'node:child_process';
import { join } from 'node:path';
import { expect, test } from '@jest/globals';
import { freePort } from '../kit/postgres.mjs';
import { ask, demoFolder, folderWith, serving } from '../kit/program.ts';

interface Series {
  readonly metric: Readonly<Record<string, string>>;
  readonly value: readonly [number, string];
}

test.each([[[]], [['--workers', '2']]])('a scraper reads all of serve %j', async (words) => {
  const server = await serving(demoFolder(), ['--quiet', ...words]);
  for (let at = 0; at < 8; at += 1) await ask(`${server.url}/v1/huts?limit=1`);
  await ask(`${server.url}/v1/none`);
  const port = await freePort();
  const folder = folderWith({
    'scraper.yml':
      'global: { scrape_interval: 500ms }\n' +
      `scrape_configs: [{ job_name: huts, static_configs: [{ targets: ['${new URL(server.url).host}'] }] }]\n`,
  });
  const scraper = spawn(
    'prometheus',
    [
      `--config.file=${join(folder, 'scraper.yml')}`,
      `--storage.tsdb.path=${join(folder, 'data')}`,
      `--web.listen-address=127.0.0.1:${port}`,
      '--log.level=error',
    ],
    { stdio: ['ignore', 'ignore', 'ignore'] },
  );
  const ended = new Promise((resolve) => scraper.once('exit', resolve));
  const found = async (query: string): Promise<readonly Series[]> => {
    const url = `http://127.0.0.1:${port}/api/v1/query?query=${encodeURIComponent(query)}`;
    const answer = await fetch(url).catch(() => undefined);
    return answer?.ok === true ? ((await answer.json()) as { data: { result: Series[] } }).data.result : [];
  };
  const until = async (query: string, value: string): Promise<void> => {
    while ((await found(query))[0]?.value[1] !== value) await new Promise((resolve) => setTimeout(resolve, 200));
  };
  try {
    await until('up', '1');
    const route = 'http_route="/v1/huts",http_request_method="GET",http_response_status_code="200"';
    await until(`sum(http_server_request_duration_seconds_count{${route}})`, '8');
    await until('sum(vantfell_refused_requests_total{problem="unknown-path"})', '1');
    await until('count(vantfell_build)', words.length === 0 ? '1' : '2');
    await until('count(process_start_time_seconds)', words.length === 0 ? '1' : '2');
    expect(
      await found('histogram_quantile(0.5, sum by (le) (http_server_request_duration_seconds_bucket))'),
    ).toHaveLength(1);
    expect(
      (await found('db_client_operation_duration_seconds_count{db_operation_name="SELECT"}')).length,
    ).toBeGreaterThan(0);
  } finally {
    scraper.kill('SIGKILL');
    await ended;
  }
});
