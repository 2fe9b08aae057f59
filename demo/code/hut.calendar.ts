import { cql, operation } from 'vantfell';

const DAY_MS = 86_400_000;

/** The nights of a hut from a day on, with the beds that are left. */
export default operation('hut.calendar', (input, scope) => {
  const from = input.from ?? scope.now.toISOString().slice(0, 10);
  const days = input.days ?? 14;
  const end = new Date(Date.parse(from) + days * DAY_MS).toISOString().slice(0, 10);
  const wanted = cql`hut_id = ${scope.record.id} AND date >= ${from} AND date < ${end}`;
  return scope.model('night').find(wanted, { sort: 'date' });
});
