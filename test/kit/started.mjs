/** Resolves when a program that was spawned says on a stream that it is ready; rejects where it ends without. */
export function started(child, stream, text, name) {
  return new Promise((resolve, reject) => {
    let said = '';
    child.once('error', reject);
    stream.on('data', (chunk) => {
      said += chunk.toString();
      if (text.test(said)) resolve();
    });
    stream.once('end', () => reject(new Error(`${name} did not start: ${said}`)));
  });
}
