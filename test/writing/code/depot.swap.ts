import { operation } from 'vantfell';

export default operation('depot.swap', async ({ first, second }, scope) => {
  const one = await scope.model('depot').lock(first);
  const other = await scope.model('depot').lock(second);
  await scope.model('depot').update(first, { note: other.name });
  await scope.model('depot').update(second, { note: one.name });
  return { touched: 2 };
});
