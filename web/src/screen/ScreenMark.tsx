import { Link } from 'react-router';

import { keptVerdict } from './kept';

/** What is known of this screen, in a few words; it leads to the page that finds out. */
export function ScreenMark() {
  const verdict = keptVerdict();
  const fit = verdict?.is_fit === false ? ', not fit to judge on' : '';
  return (
    <Link to="/screen" className="small quiet" title={verdict?.sentence ?? 'Find out whether pictures can be judged on this screen'}>
      {verdict && verdict.is_fit !== null ? `Screen: ${verdict.short}${fit}` : 'Screen not checked'}
    </Link>
  );
}
