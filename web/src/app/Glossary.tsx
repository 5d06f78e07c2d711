import { TextInput } from '@mantine/core';
import { useState } from 'react';
import { Link } from 'react-router';

import { useGlossary } from '../api/hooks';
import { Loaded } from '../shared/states';

/** Every word that Saltwort uses, and what it means. */
export function Glossary() {
  const glossary = useGlossary();
  const [sought, setSought] = useState('');
  return (
    <main className="column" style={{ height: '100%', margin: '0 auto', maxWidth: 900 }}>
      <div className="row spread">
        <h1>Glossary</h1>
        <Link to="/" style={{ color: 'inherit' }}>
          Back to the project
        </Link>
      </div>
      <TextInput
        aria-label="Find a word"
        placeholder="Find a word"
        value={sought}
        onChange={(event) => setSought(event.currentTarget.value)}
      />
      <Loaded of={glossary}>
        {(terms) => {
          const found = terms.filter(({ term, meaning }) =>
            `${term} ${meaning}`.toLowerCase().includes(sought.trim().toLowerCase()),
          );
          if (found.length === 0) return <p className="quiet">No matches.</p>;
          return (
            <table className="list">
              <tbody>
                {found.map(({ term, meaning }) => (
                  <tr key={term}>
                    <th scope="row" style={{ width: 200, textAlign: 'left' }}>
                      {term}
                    </th>
                    <td>{meaning}</td>
                  </tr>
                ))}
              </tbody>
            </table>
          );
        }}
      </Loaded>
    </main>
  );
}
