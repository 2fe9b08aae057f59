/**
 * The fewest digits that read back as the same double, as PostgreSQL writes them: with an exponent below 1e-4, and
 * from 1e15 on.
 */
export function shortDouble(value: number): string {
  const [digits = '', exponent = ''] = value.toExponential().split('e');
  const power = Number(exponent);
  if (power >= -4 && power < 15) return String(value);
  return `${digits}e${power < 0 ? '-' : '+'}${String(Math.abs(power)).padStart(2, '0')}`;
}
