import type { Graph } from '../../core/model/graph.ts';
import { escaped } from '../../core/text/markup.ts';

interface Shown {
  readonly nonce: string;
  /** What was refused just now; empty if nothing was. */
  readonly wrong: string;
  /** What was typed before. */
  readonly typed: string;
  readonly action: string;
}

const STYLE = `
  :root { color-scheme: light dark; --paper: #f7f5ef; --sheet: #fffdf8; --line: #ddd7c8; --ink: #22303a;
    --soft: #5a6670; --deep: #1f4a58; --deep-ink: #fff; --failed: #b3261e;
    font: 14px/1.45 system-ui, sans-serif }
  @media (prefers-color-scheme: dark) { :root { --paper: #14191c; --sheet: #1b2226; --line: #36424a; --ink: #e6e4dc;
    --soft: #a3adb4; --deep: #8cc3d1; --deep-ink: #10191d; --failed: #ff9d94 } }
  body { margin: 0; background: var(--paper); color: var(--ink); border-top: 5px solid var(--deep) }
  main { width: min(380px, 90vw); margin: 14vh auto 0 }
  h1 { font-size: 20px; margin: 0 } p { margin: 4px 0 22px; color: var(--soft) } [role=alert] { color: var(--failed) }
  label { display: block; margin: 12px 0 3px; font-weight: 600 }
  input { box-sizing: border-box; width: 100%; font: inherit; color: inherit; background: var(--sheet);
    border: 1px solid var(--line); border-radius: 4px; padding: 6px 9px }
  summary { margin-top: 16px; color: var(--soft); cursor: pointer }
  button { margin-top: 18px; padding: 7px 16px; font: inherit; font-weight: 600; cursor: pointer;
    color: var(--deep-ink); background: var(--deep); border: 0; border-radius: 4px }
  :focus-visible { outline: 2px solid var(--deep); outline-offset: 2px }`;

/** Where one signs in for the console: a page without a script. */
export function signInPage({ service, identity }: Graph, { nonce, wrong, typed, action }: Shown): string {
  const [login, secret] = [identity?.login?.member, identity?.secret?.member];
  const field = (name: string, label: string, more: string): string =>
    `<label for="${name}">${escaped(label)}</label><input id="${name}" name="${name}" ${more}>`;
  const token = field('token', 'Token of the API', 'type="password" autocomplete="off" spellcheck="false"');
  const fields =
    login !== undefined && secret !== undefined
      ? field('login', login, `value="${escaped(typed)}" autocomplete="username" autofocus`) +
        field('secret', secret, 'type="password" autocomplete="current-password"') +
        `<details><summary>or with a token</summary>${token}</details>`
      : token;
  return `<!doctype html>
<html lang="en">
<head>
<meta charset="utf-8">
<meta name="viewport" content="width=device-width, initial-scale=1">
<link rel="icon" href="data:,">
<title>Console of ${escaped(service.name)}</title>
<style nonce="${nonce}">${STYLE}</style>
</head>
<body>
<main>
<h1>${escaped(service.name)}</h1>
<p>Its console is for those with the role ${escaped(service.consoleRole ?? '')}.</p>
${wrong === '' ? '' : `<p role="alert">${escaped(wrong)}</p>`}
<form method="post" action="${action}">
${fields}
<button>Come in</button>
</form>
</main>
</body>
</html>
`;
}
