import { createContext, type ComponentProps, useContext, useEffect, useRef } from 'react';
import Markdown from 'react-markdown';
import rehypeSlug from 'rehype-slug';
import remarkGfm from 'remark-gfm';

import classes from './Guide.module.css';
import { pageText, pictureOf, placeOf } from './pages';

const Read = createContext<{ page: string; onGo: (place: string) => void }>({ page: '', onGo: () => undefined });

/** A page of the guide, scrolled to its heading. */
export default function Page({ place, onGo }: { place: string; onGo: (place: string) => void }) {
  const [page = '', heading = ''] = place.split('#');
  const text = pageText(page);
  const shown = useRef<HTMLDivElement>(null);
  useEffect(() => {
    const target = heading && shown.current?.querySelector(`[id="${CSS.escape(heading)}"]`);
    if (target) target.scrollIntoView();
    else shown.current?.scrollTo(0, 0);
  }, [heading, page]);
  return (
    <div ref={shown} className={classes.page} tabIndex={0} role="document" aria-label="Page of the guide">
      {text === undefined ? (
        <p className="quiet">The guide has no page of that name. Open its contents.</p>
      ) : (
        <Read value={{ page, onGo }}>
          <Markdown remarkPlugins={[remarkGfm]} rehypePlugins={[rehypeSlug]} components={{ a: PageLink, img: Picture }}>
            {text}
          </Markdown>
        </Read>
      )}
    </div>
  );
}

/** A link to another place of the guide; what leads out of it stays plain text. */
function PageLink({ href = '', children }: ComponentProps<'a'>) {
  const { page, onGo } = useContext(Read);
  const target = placeOf(href, page);
  if (target === undefined) return children;
  return (
    <a
      href={`/guide/${target}`}
      onClick={(event) => {
        event.preventDefault();
        onGo(target);
      }}
    >
      {children}
    </a>
  );
}

function Picture({ src, alt = '' }: ComponentProps<'img'>) {
  const { page } = useContext(Read);
  return <img src={pictureOf(String(src), page)} alt={alt} loading="lazy" />;
}
