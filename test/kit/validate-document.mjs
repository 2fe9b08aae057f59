// Holds an OpenAPI document, on standard input, against three validators that know nothing of each other. It is a
// program of its own because some of them are loaded in ways that the test runner can't follow.
import { text } from 'node:stream/consumers';
import SwaggerParser from '@apidevtools/swagger-parser';
import { registerSchema, validate } from '@hyperjump/json-schema/openapi-3-1';
import { Validator } from '@seriousme/openapi-schema-validator';

const document = JSON.parse(await text(process.stdin));
const ways = {
  'swagger-parser': async () => void (await SwaggerParser.validate(structuredClone(document))),
  'openapi-schema-validator': async () => {
    const { valid, errors } = await new Validator().validate(structuredClone(document));
    if (!valid) throw new Error(JSON.stringify(errors));
  },
  'json-schema': async () => {
    const output = await validate('https://spec.openapis.org/oas/3.1/schema-base', document, 'BASIC');
    if (!output.valid) throw new Error(JSON.stringify(output.errors));
  },
  // Every schema of the document is one that a validator can compile: null is no record.
  schemas: async () => {
    const id = 'https://huts.example/document';
    registerSchema({ $schema: 'https://spec.openapis.org/oas/3.1/schema-base', ...document }, id);
    for (const name of Object.keys(document.components.schemas)) {
      if ((await validate(`${id}#/components/schemas/${name}`, null)).valid) throw new Error(`${name} takes null`);
    }
  },
};

const found = {};
for (const [name, way] of Object.entries(ways)) {
  found[name] = await way().then(
    () => 'valid',
    (error) => `invalid: ${error.message}`.slice(0, 600),
  );
}
console.log(JSON.stringify(found));
