/** Putting things into three's shaders, which change from version to version: what is looked for has to be there. */

/** A text with a part of it replaced: once, or everywhere. Throws where there is none. */
export function replaced(text: string, part: string | RegExp, by: string, everywhere = false): string {
  const found = everywhere ? text.replaceAll(part, by) : text.replace(part, by);
  if (found === text) throw new Error(`three's shader has no ${part}`);
  return found;
}

/** A shader's text with more after a part of three's that it includes. */
export function after(text: string, part: string, more: string): string {
  return more ? replaced(text, included(part), `${included(part)}\n${more}`) : text;
}

/** A shader's text with something else in the place of a part of three's that it includes. */
export function instead(text: string, part: string, other: string): string {
  return replaced(text, included(part), other);
}

const included = (part: string) => `#include <${part}>`;
