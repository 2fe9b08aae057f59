import type { ChangeSummary } from '../tables/change-summary.ts';
import type { Question } from '../tables/match.ts';
import type { Risk } from '../tables/risk.ts';

/** The database, the models and the migrations do not match: the message says how, the remedy what to do. */
export class SchemaMismatch extends Error {
  readonly remedy: string;
  constructor(message: string, remedy: string) {
    super(message);
    this.name = 'OutOfStep';
    this.remedy = remedy;
  }
}

/** A risk with its number of rows; undefined if they could not be counted. */
export interface CountedRisk extends Risk {
  readonly count?: number;
  /** One of the values that make it so, as a text. */
  readonly example?: string;
}

/** A change with its risks counted. */
export interface CountedSummary extends ChangeSummary {
  readonly risks: readonly CountedRisk[];
}

/** A change that needs a decision: a possible rename, or values that would be lost. Nothing was done. */
export class DecisionRequired extends Error {
  readonly questions: readonly Question[];
  readonly summaries: readonly CountedSummary[];
  constructor(questions: readonly Question[], summaries: readonly CountedSummary[]) {
    super('the models changed in a way that has to be decided');
    this.name = 'Undecided';
    this.questions = questions;
    this.summaries = summaries;
  }
}
