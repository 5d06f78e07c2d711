import { Key } from '../shared/marks';

const KEYS: [string, string[], string][] = [
  ['Everywhere', ['N'], 'what is next in the project'],
  ['Everywhere', ['1', '…', '6'], 'go to a step of the path'],
  ['Everywhere', ['Ctrl K'], 'find anything'],
  ['Everywhere', ['T'], 'change the test colour'],
  ['Everywhere', ['F'], 'findings and jobs'],
  ['Everywhere', ['G'], 'the guide beside the work, opened at this step; once more closes it'],
  ['Everywhere', ['Ctrl Z'], 'undo the last thing done, whatever it was'],
  ['Everywhere', ['Ctrl Y'], 'do again what was undone'],
  ['Everywhere', ['?'], 'these keys'],
  ['Textures', ['/'], 'find'],
  ['Textures', ['↑', '↓'], 'select the file above or below'],
  ['Textures', ['Shift ↓'], 'and the next one too'],
  ['Textures', ['Ctrl A'], 'select all that are shown'],
  ['Textures', ['Enter'], 'open the selected file large'],
  ['Textures', ['←', '→'], 'the file before or after, when one is open'],
  ['Textures', ['Esc'], 'back to all files'],
  ['Textures', ['P'], 'set the space of the selected file by hand'],
  ['Scene', ['[', ']'], 'the rig half a stop darker or brighter'],
  ['Scene', ['0'], 'the rig without exposure'],
  ['Player', ['Space'], 'play or stop the frames, when the player has the focus'],
  ['Player', ['←', '→', 'Home', 'End'], 'a frame back or on, the first, the last'],
  ['Compare', ['[', ']'], 'exposure down or up half a stop'],
  ['Compare', ['0'], 'exposure to zero'],
  ['Compare', ['X'], 'swap the two panes'],
  ['Compare', ['↑', '↓', '←', '→'], 'move the probe, on a picture that has the focus; Shift: ten pixels'],
  ['Compare', ['Enter'], 'hold the probe there, as a click does'],
  ['Number fields', ['↑', '↓'], 'step; Shift ten times as far, Alt a tenth. Dragging sideways does the same'],
];

export function KeyHelp() {
  return (
    <table className="list">
      <tbody>
        {KEYS.map(([where, keys, what], index) => (
          <tr key={what}>
            <td className="quiet">{KEYS[index - 1]?.[0] === where ? '' : where}</td>
            <td>
              <span className="row">
                {keys.map((key) => (
                  <Key key={key}>{key}</Key>
                ))}
              </span>
            </td>
            <td>{what}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
