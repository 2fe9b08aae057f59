import type { Question } from '../tables/match.ts';
import type { Danger } from '../tables/hazard.ts';
import type { Saying } from '../tables/words.ts';

/** A database, the models and the migrations that don't go together: what is so, and what to do about it. */
export class OutOfStep extends Error {
  readonly remedy: string;
  constructor(message: string, remedy: string) {
    super(message);
    this.name = 'OutOfStep';
    this.remedy = remedy;
  }
}

/** A danger with the number of rows in it; undefined where they could not be counted. */
export interface CountedDanger extends Danger {
  readonly count?: number;
  /** One of the values that make it so, as a text. */
  readonly example?: string;
}

/** What changes, with its dangers counted. */
export interface CountedSaying extends Saying {
  readonly dangers: readonly CountedDanger[];
}

/** A change that needs an answer first: what looks like a new name, or values that would be lost. Nothing was done. */
export class Undecided extends Error {
  readonly questions: readonly Question[];
  readonly sayings: readonly CountedSaying[];
  constructor(questions: readonly Question[], sayings: readonly CountedSaying[]) {
    super('the models changed in a way that has to be decided');
    this.name = 'Undecided';
    this.questions = questions;
    this.sayings = sayings;
  }
}
