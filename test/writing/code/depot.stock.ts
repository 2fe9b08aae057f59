import { operation } from 'vantfell';

export default operation('depot.stock', async ({ more }, scope) => {
  if (more === 99) await scope.model('echo').create({ of: 'a read that writes' });
  if (more === 98) await new Promise(() => undefined);
  return { sleds: scope.record.sleds + (more ?? 0) };
});
