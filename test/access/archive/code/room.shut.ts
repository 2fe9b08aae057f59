import { operation } from 'vantfell';

export default operation('room.shut', (_input, scope) => scope.model('room').update(scope.record.id, { open: false }));
