import { operation } from 'vantfell';

export default operation('note.publish', (_input, scope) =>
  scope.model('note').update(scope.record.id, { state: 'published' }),
);
