/** The style of the report's page, in light and dark. */
export const STYLE = `
:root {
  color-scheme: light dark;
  --ink: #22303a;
  --dim: #6b7a85;
  --line: #d9e0e4;
  --paper: #f6f8f9;
  --card: #fff;
  --good: #1f7a4d;
  --good-soft: #e3f2e9;
  --bad: #b3361f;
  --bad-soft: #fae6e1;
}
@media (prefers-color-scheme: dark) {
  :root {
    --ink: #d9e2e8;
    --dim: #8a99a4;
    --line: #303b44;
    --paper: #14191d;
    --card: #1b2228;
    --good: #66c796;
    --good-soft: #1c3428;
    --bad: #f0826a;
    --bad-soft: #3a211b;
  }
}
* {
  box-sizing: border-box;
}
body {
  margin: 0;
  background: var(--paper);
  color: var(--ink);
  font:
    15px/1.5 system-ui,
    sans-serif;
}
main {
  max-width: 1180px;
  margin: 0 auto;
  padding: 24px;
}
header {
  padding: 20px 24px;
  border-radius: 10px;
  margin-bottom: 24px;
}
header p {
  margin: 0;
  color: var(--dim);
}
h1 {
  margin: 2px 0;
  font-size: 28px;
  line-height: 1.2;
}
.good {
  background: var(--good-soft);
}
.good h1 {
  color: var(--good);
}
.bad {
  background: var(--bad-soft);
}
.bad h1 {
  color: var(--bad);
}
section {
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 10px;
  padding: 16px 24px;
  margin-bottom: 20px;
  overflow-x: auto;
}
h2 {
  font-size: 17px;
  margin: 0 0 12px;
}
table {
  border-collapse: collapse;
  width: 100%;
}
th {
  font-weight: 600;
  color: var(--dim);
  text-align: right;
  font-size: 13px;
}
th:first-child,
td:first-child {
  text-align: left;
}
td,
th {
  padding: 5px 10px;
  border-bottom: 1px solid var(--line);
  text-align: right;
  font-variant-numeric: tabular-nums;
}
tr:last-child td {
  border-bottom: 0;
}
td.ok {
  color: var(--good);
}
td.no {
  color: var(--bad);
  font-weight: 700;
  background: var(--bad-soft);
}
.dim {
  color: var(--dim);
}
td.room {
  width: 220px;
  text-align: left;
}
td.who {
  font-size: 13px;
  white-space: nowrap;
}
details {
  border-top: 1px solid var(--line);
  padding: 10px 0;
}
details:first-of-type {
  border-top: 0;
}
summary {
  cursor: pointer;
  font-weight: 600;
}
summary span {
  font-weight: 400;
  color: var(--dim);
}
dl {
  display: grid;
  grid-template-columns: 110px 1fr;
  gap: 6px 14px;
  margin: 10px 0 0;
}
dt {
  color: var(--dim);
}
dd {
  margin: 0;
  min-width: 0;
}
pre {
  margin: 0;
  white-space: pre-wrap;
  overflow-wrap: anywhere;
  font:
    13px/1.5 ui-monospace,
    monospace;
  background: var(--paper);
  padding: 8px 10px;
  border-radius: 6px;
}
.want {
  color: var(--good);
}
.got {
  color: var(--bad);
}
.bar {
  display: inline-block;
  height: 9px;
  border-radius: 4px;
  background: var(--dim);
  vertical-align: middle;
}
ul {
  margin: 0;
  padding-left: 20px;
}
li {
  margin: 2px 0;
}
`;
