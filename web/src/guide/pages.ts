import GithubSlugger from 'github-slugger';

/** The pages below docs/ that are for artists: the same files that are read beside the code. Loaded as one piece, when first asked for. */
const TEXTS = import.meta.glob<string>(
  ['../../../docs/guide/**/*.md', '../../../docs/findings.md', '../../../docs/glossary.md', '../../../docs/bundle.md', '../../../docs/scene-lists.md'],
  { query: '?raw', import: 'default', eager: true },
);
const PICTURES = import.meta.glob<string>('../../../docs/screenshots/*.png', { query: '?url', import: 'default', eager: true });

const DOCS = '../../../docs/';

/** A heading of a page, with the text below it up to the next. */
export interface Section {
  /** The page below docs/ without its ending, and the heading's anchor. */
  place: string;
  page: string;
  title: string;
  text: string;
}

export const pageText = (page: string): string | undefined => TEXTS[`${DOCS}${page}.md`];

/** A link in a page as the place it leads to; undefined for one that leads out of the guide. */
export function placeOf(link: string, page: string): string | undefined {
  const { pathname, hash } = new URL(link, `http://guide/${page}.md`);
  const target = pathname.slice(1).replace(/\.md$/, '');
  return target === page || pageText(target) !== undefined ? target + hash : undefined;
}

/** The address of a picture in a page. */
export const pictureOf = (link: string, page: string): string | undefined =>
  PICTURES[`${DOCS}${new URL(link, `http://guide/${page}.md`).pathname.slice(1)}`];

/** All headings of all pages, in the order of the contents. */
export const SECTIONS: Section[] = Object.entries(TEXTS).flatMap(([file, text]) => sectionsOf(file.slice(DOCS.length).replace(/\.md$/, ''), text));

function sectionsOf(page: string, text: string): Section[] {
  const slugs = new GithubSlugger();
  const sections: Section[] = [];
  let fenced = false;
  for (const line of text.split('\n')) {
    if (line.startsWith('```')) fenced = !fenced;
    const title = fenced ? undefined : /^#+ (.*)$/.exec(line)?.[1];
    const last = sections.at(-1);
    if (title !== undefined) {
      sections.push({ place: `${page}#${slugs.slug(title)}`, page: sections[0]?.title ?? title, title, text: '' });
    } else if (last) {
      last.text += `${line}\n`;
    }
  }
  return sections;
}
