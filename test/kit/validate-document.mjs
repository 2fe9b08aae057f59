// Holds OpenAPI documents, a JSON array on standard input, against three validators and a generator of types, none of
// which knows of the others. It is a program of its own because some of them are loaded in ways that the test runner
// can't follow.
import { text } from 'node:stream/consumers';
import SwaggerParser from '@apidevtools/swagger-parser';
import { registerSchema, validate } from '@hyperjump/json-schema/openapi-3-1';
import { Validator } from '@seriousme/openapi-schema-validator';
import openapiTS, { astToString } from 'openapi-typescript';
import typescript from 'typescript';

const ways = {
  'swagger-parser': async (document) => void (await SwaggerParser.validate(structuredClone(document))),
  'openapi-schema-validator': async (document) => {
    const { valid, errors } = await new Validator().validate(structuredClone(document));
    if (!valid) throw new Error(JSON.stringify(errors));
  },
  'json-schema': async (document) => {
    const output = await validate('https://spec.openapis.org/oas/3.1/schema-base', document, 'BASIC');
    if (!output.valid) throw new Error(JSON.stringify(output.errors));
  },
  // Every schema of the document is one that a validator can compile: null is no record.
  schemas: async (document, at) => {
    const id = `https://huts.example/document/${at}`;
    registerSchema({ $schema: 'https://spec.openapis.org/oas/3.1/schema-base', ...document }, id);
    for (const name of Object.keys(document.components.schemas)) {
      if ((await validate(`${id}#/components/schemas/${name}`, null)).valid) throw new Error(`${name} takes null`);
    }
  },
  'generated types': async (document) => {
    const types = astToString(await openapiTS(structuredClone(document), { silent: true }));
    const { parseDiagnostics } = typescript.createSourceFile('types.ts', types, typescript.ScriptTarget.Latest);
    if (parseDiagnostics.length > 0) throw new Error(JSON.stringify(parseDiagnostics[0].messageText));
  },
};

const found = [];
for (const [at, document] of JSON.parse(await text(process.stdin)).entries()) {
  const verdicts = {};
  for (const [name, way] of Object.entries(ways)) {
    verdicts[name] = await way(document, at).then(
      () => 'valid',
      (error) => `invalid: ${error.message}`.slice(0, 600),
    );
  }
  found.push(verdicts);
}
console.log(JSON.stringify(found));
