/** The sentences that docs/methods.md has for the page, by what they are about. */
export function meanings(text: string): Record<string, string> {
  const section = text.split("## Said in one sentence")[1]?.split("\n## ")[0] ?? "";
  return Object.fromEntries([...section.matchAll(/^- \*\*(.+?)\*\*: (.+)$/gm)].map(([, name, said]) => [name, said]));
}
