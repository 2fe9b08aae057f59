import { stop } from './mariadb-for-all.mjs';

export default stop;
