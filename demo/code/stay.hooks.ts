import { hooks } from 'vantfell';

export default hooks('stay', {
  beforeUpdate(change, record, scope) {
    if (record.status === 'cancelled' && change.status !== 'booked') {
      scope.refuse('a cancelled stay can not be changed; book another one', { status: 409, rule: 'cancelled' });
    }
  },

  // Once it is kept for good. A letter to the guest would go out here.
  afterCommit({ kind, key, record }, scope) {
    scope.log.info(`stay ${kind}`, { stay: key, party: record.party });
  },
});
