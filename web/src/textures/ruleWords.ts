import type { Config, Rule } from '../api/hooks';

/** The engine's own name of the rule that looks for a space's name in the path. */
const PATH_SEARCH_NAME = 'ColorSpaceNamePathSearch';

export const PATH_SEARCH: Rule = {
  name: PATH_SEARCH_NAME,
  kind: 'space_in_path',
  space: '',
  pattern: '',
  extension: '',
  map_kinds: [],
};

export const ruleTitle = (rule: Rule) => (rule.kind === 'space_in_path' ? 'Space in the path' : rule.name);

/** What a rule takes, in few words. */
export function ruleMatches(rule: Rule, kinds: Config['map_kinds']): string {
  if (rule.kind === 'space_in_path') return 'any space or alias in the path';
  if (rule.kind === 'glob') return `${rule.pattern}.${rule.extension}`;
  if (rule.kind === 'regex') return rule.pattern;
  return kindNames(rule.map_kinds, kinds);
}

/** What a rule takes and where to, in one line. */
export function ruleText(rule: Rule, kinds: Config['map_kinds']): string {
  return rule.space ? `${ruleMatches(rule, kinds)} → ${rule.space}` : ruleMatches(rule, kinds);
}

function kindNames(keys: string[], kinds: Config['map_kinds']): string {
  for (const group of new Set(kinds.map((kind) => kind.group))) {
    const members = kinds.filter((kind) => kind.group === group);
    if (members.length === keys.length && members.every((kind) => keys.includes(kind.key))) return `every ${group} map`;
  }
  return keys.map((key) => kinds.find((kind) => kind.key === key)?.label ?? key).join(', ');
}
