import type { ScopeOf } from 'vantfell';

export const kept: { scope?: ScopeOf } = {};
