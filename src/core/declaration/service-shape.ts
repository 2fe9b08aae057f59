import type { Shape } from './shape.ts';
import { count, either, entries, flag, list, map, text, word } from './shape.ts';
import { storeKinds } from '../model/service.ts';
import { modelName } from './model-shape.ts';

const atLeastOne: Shape = { kind: 'number', integer: true, least: 1 };
const fieldName = text(/^[a-z][a-z0-9_]*$/, 'the name of a field');
const headerNames = list(text(/^[!#$%&'*+.^_`|~0-9A-Za-z-]+$/, 'the name of a header'), 1);
const serverAddress = text(/^postgres:\/\/./, 'postgres://user@host:5432/name');
const SIZE = /^[1-9]\d* ?[kKmM][bB]$/;
/** A variable of the environment is a text, also where it is a number. */
const SIZE_OR_NONE = new RegExp(`^0$|${SIZE.source}`);
const time = text(/^[1-9]\d*(ms|s|min)$/, 'a time like 500ms or 5s');

/** `vantfell.yaml`. */
export const serviceShape = entries('the service file', {
  service: {
    required: true,
    about: 'service: { name: Fell Huts }',
    shape: entries('the service', {
      name: { shape: text(/\S/, 'a name'), about: 'what the service is called', required: true },
      version: { shape: text(), about: 'the version of the API; 1.0.0 if left out' },
      prefix: {
        shape: text(/^(\/[a-z0-9][a-z0-9._-]*)*$/, 'segments like /v1, or an empty text'),
        about: 'what every path of a model begins with; nothing if left out',
      },
      description: { shape: text(), about: 'for people, and for the OpenAPI document' },
      contact: {
        about: 'whom to ask, for the OpenAPI document',
        shape: entries('a contact', {
          name: { shape: text(/\S/, 'a name'), about: 'who they are' },
          url: { shape: text(/^https?:\/\/\S+$/, 'an address like https://huts.example'), about: 'their page' },
          email: { shape: text(/^\S+@\S+$/, 'an address like help@huts.example'), about: 'their e-mail address' },
        }),
      },
      license: {
        about: 'under which terms the API may be used, for the OpenAPI document',
        shape: entries('a license', {
          name: { shape: text(/\S/, 'a name'), about: 'what it is called', required: true },
          url: { shape: text(/^https?:\/\/\S+$/, 'an address'), about: 'where it can be read' },
        }),
      },
      termsOfService: {
        shape: text(/^https?:\/\/\S+$/, 'an address like https://huts.example/terms'),
        about: 'where the terms of service can be read, for the OpenAPI document',
      },
      servers: {
        about: 'where it can be reached, for the OpenAPI document',
        shape: list(
          entries('a server', {
            url: {
              shape: text(/^(https?:\/\/\S+|\/\S*)$/, 'an address like https://huts.example'),
              about: 'its address, without the prefix',
              required: true,
            },
            description: { shape: text(), about: 'what it is for' },
          }),
          1,
        ),
      },
    }),
  },
  key: {
    shape: either('a text, or a list of texts', text(), list(text(), 1)),
    about:
      'signs tokens and cursors; at least 32 bytes; made and kept in .vantfell/ if left out. ' +
      'Of a list the first signs, and what the others signed is still known',
  },
  store: {
    shape: either(
      'an address, or one for writes and others for reads',
      text(
        /^(sqlite:.|(postgres|mariadb|mysql):\/\/.)/,
        'sqlite:./data/huts.db, postgres://user@host:5432/name or mariadb://user@host:3306/name',
      ),
      entries('the store', {
        write: { shape: serverAddress, about: 'the database', required: true },
        read: {
          shape: list(serverAddress, 1),
          about: 'replicas of it, which answer reads',
          required: true,
        },
        lag: { shape: time, about: 'how far behind a replica may be that answers; 5s' },
      }),
    ),
    about:
      'the database; a SQLite file in .vantfell/ if left out. With `write`, `read` and `lag`, replicas answer reads',
  },
  stores: {
    shape: list(word(...storeKinds), 1),
    about: 'the kinds of database that migrations are written for; that of `store` if left out',
  },
  tables: {
    shape: word('ours', 'theirs', 'taken-over'),
    about:
      'whose the tables are: `ours` follow the models, which is so if it is left out; `theirs` were there already, ' +
      'and are not changed; those `taken-over` were, and migrations change them',
  },
  identity: {
    about: 'who may sign in; nobody if left out',
    shape: entries('identity', {
      model: { shape: text(modelName, 'the name of a model'), about: 'the model of callers', required: true },
      login: { shape: fieldName, about: 'the unique field that they sign in by' },
      secret: { shape: fieldName, about: 'the field of type secret that they prove it with' },
      roles: { shape: fieldName, about: 'the field with their roles' },
      secrets: {
        about: 'what a new secret takes',
        shape: entries('secrets', {
          old: {
            shape: word('required'),
            about: 'whoever sets their own gives the old one too, at POST /me/secret; left out: a PATCH is enough',
          },
          refuse: {
            shape: list(word('login', 'common'), 1),
            about: 'what none may be: its own login, or one of the 10 000 most common; nothing if left out',
          },
        }),
      },
      codes: {
        about: 'codes that are sent to callers, each good once; none if left out',
        shape: entries('codes', {
          to: {
            shape: fieldName,
            about: 'the unique field of type email that they are sent to; the login if left out',
          },
          verify: {
            shape: text(/^[1-9]\d*(min|h|d)$/, 'a time like 24h'),
            about: 'how long one is good that proves an address; left out: no address is verified',
          },
          reset: {
            shape: text(/^[1-9]\d*(min|h|d)$/, 'a time like 30min'),
            about: 'how long one is good that sets a new secret; left out: nobody can without the old one',
          },
          link: {
            shape: text(/^https?:\/\/\S*\{code\}\S*$/, 'an address with {code} in it'),
            about: 'the page that a message leads to: {code} is the code, and {kind} verify or reset',
          },
        }),
      },
      subject: { shape: fieldName, about: "the unique field that equals the subject of an outside issuer's tokens" },
      tokens: {
        about: 'how tokens are made, or who makes them',
        shape: entries('tokens', {
          lifetime: {
            shape: text(/^[1-9]\d*(s|min|h|d)$/, 'a time like 30min or 1h'),
            about: 'how long one is good; 1h',
          },
          refresh: {
            shape: text(/^[1-9]\d*(s|min|h|d)$/, 'a time like 12h or 30d'),
            about: 'for how long a session goes on that nobody uses; no sessions if left out',
          },
          jwks: { shape: text(/\S/, 'an address or a file'), about: 'the keys of an outside issuer' },
          issuer: { shape: text(/\S/, 'the name of the issuer'), about: 'the `iss` that its tokens must have' },
          audience: { shape: text(/\S/, 'the name of this service'), about: 'the `aud` that its tokens must have' },
          create: {
            shape: map(text(/\S/, 'the name of a claim'), /^[a-z][a-z0-9_]*$/, 'the name of a field'),
            about: 'the claim that each field of an unknown caller takes',
          },
        }),
      },
    }),
  },
  paging: {
    about: 'how many records a list shows',
    shape: entries('paging', {
      default: { shape: atLeastOne, about: 'records on a page; 20 if left out' },
      most: { shape: atLeastOne, about: 'the most that `limit` may ask for; 100' },
    }),
  },
  limits: {
    about: 'what a request may cost',
    shape: entries('limits', {
      body: {
        shape: text(SIZE, 'a size like 64kB or 1MB'),
        about: 'the largest request body; 1MB',
      },
      rate: {
        shape: text(/^(none|[1-9]\d*\/min)$/, 'none, or a count like 600/min'),
        about: 'requests of one caller; none',
      },
      'sign-in': { shape: text(/^[1-9]\d*\/min$/, 'a count like 10/min'), about: 'failed sign-ins; 10/min' },
      codes: {
        shape: text(/^[1-9]\d*\/min$/, 'a count like 10/min'),
        about: 'codes that one address asks for or gets wrong; 10/min',
      },
      transaction: { shape: time, about: 'the time that a write may take; 5s' },
      read: { shape: time, about: 'the time that a read may take; 5s' },
      cascade: { shape: atLeastOne, about: 'how many records one delete may take along; 10000' },
      queue: { shape: atLeastOne, about: 'how many writers may wait; 1000' },
      cache: {
        shape: either('0, or a size like 4MB', count, text(SIZE_OR_NONE, '0, or a size like 4MB')),
        about: 'answers that are kept as long as they are the same; 8MB, 0 for none',
      },
    }),
  },
  cors: {
    about: 'which pages may call from other origins; none if left out',
    shape: entries('cors', {
      origins: {
        shape: list(text(/^(https?:\/\/\S+|\*)$/, 'an origin like https://huts.example'), 1),
        about: 'their origins; `https://*.huts.example` for subdomains, `http://localhost:*` for any port, `*` for all',
        required: true,
      },
      credentials: {
        shape: flag,
        about: 'whether pages may send cookies along; false. Tokens in the header Authorization need none of it',
      },
      headers: { shape: headerNames, about: 'further headers that requests may have' },
      expose: { shape: headerNames, about: 'further headers of answers that pages may read' },
      'max-age': {
        shape: text(/^(0|[1-9]\d*)(s|min|h)$/, 'a time like 10min'),
        about: 'for how long a browser need not ask again; 10min',
      },
    }),
  },
  proxies: {
    shape: list(text(/^[0-9a-fA-F.:]+(\/\d+)?$/, 'an address like 127.0.0.1 or 10.0.0.0/8'), 1),
    about: 'the addresses of proxies that may name the address of a client',
  },
  shared: {
    shape: text(/^rediss?:\/\/\S+$/, 'an address like redis://127.0.0.1:6379'),
    about: 'a Redis that counts limits over all instances; left out: each instance counts for itself',
  },
  metrics: {
    about: 'where /metrics is',
    shape: entries('metrics', {
      port: { shape: count, about: 'a port of its own; left out: the port of everything else' },
    }),
  },
  console: {
    about: 'the console on hosts that others reach too; left out: it is on this machine alone',
    shape: entries('the console', {
      role: { shape: text(/\S/, 'a role'), about: 'whom it lets in; they may act as anybody', required: true },
    }),
  },
});
