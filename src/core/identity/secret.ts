import { scrypt, timingSafeEqual } from 'node:crypto';

/** 2^15 blocks of 8: each guess takes some 60 ms of one core, and 32 MB (RFC 7914). */
const COST = 15;
/** The lowest cost, for databases that are thrown away: it protects nothing. */
export const LOWEST_COST = 1;
const BLOCK = 8;
const LANES = 1;
const LENGTH = 32;
export const SALT_LENGTH = 16;

/** A secret's slow hash with its salt, of a `cost` as a power of two, in the form `$scrypt$ln=15,r=8,p=1$salt$hash`. */
export async function hashSecret(secret: string, salt: Uint8Array, cost = COST): Promise<string> {
  return sealed(salt, await derive(secret, salt, cost, BLOCK, LANES), cost);
}

/** A well-formed hash that belongs to no secret. */
export const sealedLike = (random: (bytes: number) => Uint8Array, cost = COST): string =>
  sealed(random(SALT_LENGTH), random(LENGTH), cost);

const sealed = (salt: Uint8Array, hash: Uint8Array, cost: number): string => {
  const [saltText, hashText] = [salt, hash].map((bytes) => Buffer.from(bytes).toString('base64').replace(/=+$/, ''));
  return `$scrypt$ln=${cost},r=${BLOCK},p=${LANES}$${saltText}$${hashText}`;
};

/** Whether a secret is the one that was hashed; false for what is no hash. */
export async function isSecret(secret: string, hashed: string): Promise<boolean> {
  const match = /^\$scrypt\$ln=(\d+),r=(\d+),p=(\d+)\$([^$]+)\$([^$]+)$/.exec(hashed);
  if (match === null) return false;
  const [, cost, block, lanes, salt = '', hash = ''] = match;
  const wanted = Buffer.from(hash, 'base64');
  const found = await derive(secret, Buffer.from(salt, 'base64'), Number(cost), Number(block), Number(lanes));
  return wanted.length === found.length && timingSafeEqual(wanted, found);
}

function derive(secret: string, salt: Uint8Array, cost: number, block: number, lanes: number): Promise<Buffer> {
  const options = { N: 2 ** cost, r: block, p: lanes, maxmem: 2 * 128 * block * 2 ** cost + 2 ** 16 };
  return new Promise((resolve, reject) => {
    scrypt(secret.normalize('NFC'), salt, LENGTH, options, (error, key) => (error ? reject(error) : resolve(key)));
  });
}
