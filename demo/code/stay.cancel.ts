import { operation } from 'vantfell';

/** Cancels a stay. What it drew from its night goes back by itself: a cancelled stay draws nothing. */
export default operation('stay.cancel', (input, scope) => {
  const { id, status } = scope.record;
  if (status === 'cancelled') scope.refuse('this stay is cancelled already', { status: 409, rule: 'cancelled' });
  return scope.model('stay').update(id, { status: 'cancelled', cancelled_because: input.because });
});
