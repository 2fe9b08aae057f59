import { askingOn } from '../kit/asking.ts';

askingOn('postgres');
