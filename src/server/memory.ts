import { setFlagsFromString } from 'node:v8';

/**
 * Lets what a service has kept grow by half before it is swept. Under load, V8 would let it grow to the fourfold, most
 * of which belonged to requests that are answered. To sweep sooner costs no time that can be measured.
 */
export const sweepSooner = (): void => setFlagsFromString('--heap-growing-percent=50');
