export { hooks } from './core/change/hooks.ts';
export { operation } from './core/change/operation.ts';
export { openService } from './project/open-service.ts';
export type { OpenService } from './project/open-service.ts';
