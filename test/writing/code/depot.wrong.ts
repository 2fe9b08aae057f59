import { operation } from 'vantfell';

export default operation('depot.wrong', () => ({ count: 'many', more: 1 }));
