import { askingOn } from '../kit/asking.ts';

askingOn('sqlite');
askingOn('postgres');
