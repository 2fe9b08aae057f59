import { cql, operation } from 'vantfell';

const DAY_MS = 86_400_000;

/** Books several nights in a row for the caller: one stay for each of them, or none at all. */
export default operation('hut.book', async (input, scope) => {
  if (scope.caller === null) return scope.refuse('sign in to book', { status: 403 });
  const guest_id = String(scope.caller.key);

  const last = new Date(Date.parse(input.first_night) + (input.nights - 1) * DAY_MS).toISOString().slice(0, 10);
  const wanted = cql`hut_id = ${scope.record.id} AND date BETWEEN ${input.first_night} AND ${last}`;
  const nights = await scope.model('night').find(wanted, { sort: 'date' });
  if (nights.length < input.nights) {
    const detail = `${scope.record.name} is open on ${nights.length} of these ${input.nights} nights`;
    scope.refuse(detail, { status: 409, rule: 'closed', pointer: '/nights' });
  }

  const stays = [];
  // Each takes its beds from its night. Where one of them has too few left, nothing of it all is kept.
  for (const night of nights) {
    stays.push(await scope.model('stay').create({ guest_id, night_id: night.id, party: input.party }));
  }
  return stays;
});
