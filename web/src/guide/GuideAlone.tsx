import { Link, useLocation, useNavigate } from 'react-router';

import classes from './Guide.module.css';
import Page from './Page';

/** The guide on a page of its own, at an address that can be sent to somebody. */
export function GuideAlone() {
  const { pathname, hash } = useLocation();
  const navigate = useNavigate();
  const page = pathname.slice('/guide/'.length);
  return (
    <main className={classes.alonePage}>
      <div className="row spread">
        <Link to="/guide/guide/README">Contents</Link>
        <Link to="/">Back to the project</Link>
      </div>
      <Page place={(page || 'guide/README') + hash} onGo={(place) => void navigate(`/guide/${place}`)} />
    </main>
  );
}
