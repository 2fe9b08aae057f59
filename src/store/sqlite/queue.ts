/** One at a time, in the order of asking: SQLite has one writer, and a fair line is better than a race for it. */
export function makeQueue(): <Result>(work: () => Promise<Result>) => Promise<Result> {
  let last: Promise<unknown> = Promise.resolve();
  return (work) => {
    const turn = last.then(work, work);
    last = turn.catch(() => undefined);
    return turn;
  };
}
