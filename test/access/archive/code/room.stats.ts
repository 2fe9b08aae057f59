import { operation } from 'vantfell';

export default operation('room.stats', async (_input, scope) => ({ rooms: await scope.model('room').count() }));
