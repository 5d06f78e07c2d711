import type { Finding } from '../api/hooks';
import { LevelMark } from './marks';

/** A finding in one line, with a word on what becomes of it. */
export function FindingLine({ finding, word }: { finding: Finding; word: string }) {
  return (
    <p className="row small" title={finding.why}>
      <LevelMark level={finding.level} />
      <span>
        <span className="quiet">{word}:</span> {finding.title}, <span className="mono">{finding.subject}</span>
      </span>
    </p>
  );
}
