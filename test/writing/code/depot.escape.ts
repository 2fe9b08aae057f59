import { operation } from 'vantfell';
import { kept } from './shared/kept.ts';

export default operation('depot.escape', (_input, scope) => {
  const before = kept.scope;
  kept.scope = scope;
  return before?.model('echo').create({ of: 'beyond the end' });
});
