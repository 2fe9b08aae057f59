import { operation } from 'vantfell';

export default operation('depot.wait', async ({ ms }, scope) => {
  const { id } = scope.record;
  await scope.model('depot').update(id, { note: `waited ${ms}` });
  await new Promise<void>((resolve) => {
    const timer = setTimeout(resolve, ms);
    scope.signal.addEventListener('abort', () => (clearTimeout(timer), resolve()));
  });
  return scope.model('depot').get(id);
});
