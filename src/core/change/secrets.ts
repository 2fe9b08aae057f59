import { hashSecret, SALT_LENGTH } from '../identity/secret.ts';
import type { Values } from '../rules/schema.ts';
import type { Changes } from './contract.ts';
import type { ModelWriting } from './model-writing.ts';

/** Hashes the secrets among a model's values, and counts them. */
export function secretHasher({
  model,
  writing: { runtime },
}: ModelWriting): Pick<Changes, 'hashSecrets' | 'countSecrets'> {
  const secrets = model.fields.filter(({ type }) => type === 'secret');
  return {
    async hashSecrets(values, hash = (secret) => hashSecret(secret, runtime.random(SALT_LENGTH), runtime.hashCost)) {
      const hashed: Values = { ...values };
      for (const { member } of secrets) {
        const secret = values[member];
        if (typeof secret === 'string') hashed[member] = await hash(secret);
      }
      return hashed;
    },
    countSecrets: (values) => secrets.filter(({ member }) => typeof values[member] === 'string').length,
  };
}
