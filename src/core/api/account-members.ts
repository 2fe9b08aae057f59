/** The member of a body with a code that was sent. */
export const CODE = 'code';

/** The member with the old secret, beside the new one. */
export const oldMember = (secret: string): string => `old_${secret}`;
