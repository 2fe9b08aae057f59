import pg from 'pg';
import { makePipes } from '../base/pipes.ts';
import type { Pipes as PipesOf } from '../base/pipes.ts';
import { breakOff, inOnePiece } from './ask.ts';
import type { Queryable } from './ask.ts';
import { isFull } from './patient-pool.ts';
import { put } from './query.ts';
import type { Query, Result } from './query.ts';

export type Pipes = PipesOf<Query, Result>;

/** Connections that quick reads share. */
export const postgresPipes = (settings: pg.ClientConfig, count: number, longest: number, others: Queryable): Pipes =>
  makePipes({
    count,
    longest,
    others,
    isFull,
    async connect(broken) {
      const client = new pg.Client({ ...settings, pipeline: true });
      client.on('error', broken).on('end', broken);
      await client.connect();
      return {
        put: (query, told) => put(client, query, told),
        inOnePiece: (later) => inOnePiece(client, later),
        breakOff: () => breakOff(client),
        end: () => client.end(),
      };
    },
  });
