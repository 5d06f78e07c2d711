import { type Finding, type Texture } from '../api/hooks';
import { LevelMark } from '../shared/marks';
import { reasonWord } from './reason';
import classes from './Textures.module.css';

/** The files with the space each is read in. */
export function TextureTable({
  textures,
  findings,
  selected,
  onSelect,
}: {
  textures: Texture[];
  findings: Finding[];
  selected: number | undefined;
  onSelect: (id: number) => void;
}) {
  const worst = new Map<string, Finding>();
  for (const finding of [...findings].reverse()) worst.set(finding.subject, finding);
  return (
    <table className="list picking">
      <thead>
        <tr>
          <th>File</th>
          <th style={{ width: 104 }}>Map kind</th>
          <th style={{ width: 150 }}>Read as</th>
          <th style={{ width: 64 }}>Because</th>
        </tr>
      </thead>
      <tbody>
        {textures.map((texture) => {
          const finding = worst.get(texture.path);
          const name = texture.path.split('/').at(-1);
          return (
            <tr key={texture.id} aria-selected={texture.id === selected} onClick={() => onSelect(texture.id)}>
              <td style={{ maxWidth: 0 }}>
                <div className={classes.name}>
                  <img src={texture.thumbnail} alt="" loading="lazy" width={44} height={44} />
                  <button className="bare ellipsis" title={texture.path} onClick={() => onSelect(texture.id)}>
                    {name}
                  </button>
                  {finding ? (
                    <span className="row small">
                      <LevelMark level={finding.level} /> <span className="ellipsis">{finding.title}</span>
                    </span>
                  ) : (
                    <span className="quiet small ellipsis">
                      {texture.width} × {texture.height} · {texture.bit_depth} {texture.format}
                    </span>
                  )}
                </div>
              </td>
              <td className={texture.kind ? '' : 'quiet'}>{texture.kind?.label ?? 'not told'}</td>
              <td>{texture.assignment.space}</td>
              <td className="quiet">{reasonWord(texture.assignment)}</td>
            </tr>
          );
        })}
      </tbody>
    </table>
  );
}
