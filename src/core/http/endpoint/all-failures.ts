import { MOST_FAILURES } from '../../api/failure.ts';
import type { Failure } from '../../api/failure.ts';
import type { Reply } from '../../api/message.ts';
import { brokenRules, HttpProblem } from '../../api/problems.ts';
import type { UnitOfWork } from '../../change/unit-of-work.ts';
import { StoreError } from '../../store/contract.ts';

/**
 * Answers a write; where its body is refused, then with all that is wrong with it. What is known stays said where the
 * rest can't be found. But a record that was there for the write, which `wasThere` tells, and is not for the search,
 * went meanwhile: the answer is that of a moment later.
 */
export async function withAllFailures(
  run: (look: (work: UnitOfWork) => Promise<readonly Failure[]>) => Promise<readonly Failure[]>,
  write: () => Promise<Reply>,
  find: (work: UnitOfWork, known: readonly Failure[]) => Promise<readonly Failure[]>,
  { begins, wasThere }: { readonly begins?: string | undefined; wasThere?(): boolean } = {},
): Promise<Reply> {
  try {
    return await write();
  } catch (error) {
    if (!(error instanceof HttpProblem) || (error.problem !== 'invalid-body' && error.problem !== 'taken')) throw error;
    const known = (error.options.errors ?? []).filter((one) => 'pointer' in one);
    if (known.length === 0 || known.length >= MOST_FAILURES) throw error;
    const all = await run((work) => find(work, known)).catch((other: unknown) => {
      if (other instanceof HttpProblem && other.problem === 'not-found' && wasThere?.() === true) throw other;
      if (other instanceof HttpProblem) return known;
      if (other instanceof StoreError && other.fault.kind !== 'defect') return known;
      throw other;
    });
    if (all.length <= known.length) throw error;
    if (all.some(({ rule }) => rule !== 'unique')) throw brokenRules(all, begins);
    throw new HttpProblem('taken', undefined, { errors: all.slice(0, MOST_FAILURES) });
  }
}
