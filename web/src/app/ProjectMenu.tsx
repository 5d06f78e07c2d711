import { Menu } from '@mantine/core';
import { useQuery } from '@tanstack/react-query';
import { useNavigate } from 'react-router';

import { api, body } from '../api/client';
import type { Project } from '../api/hooks';
import { useGuide } from '../guide/useGuide';
import { Key } from '../shared/marks';
import { useUndo } from '../shared/useUndo';
import classes from './PathStrip.module.css';

/** The project's name and revision, and what can be done with it as a whole. */
export function ProjectMenu({ project }: { project: Project }) {
  const navigate = useNavigate();
  const guide = useGuide();
  const { undo, redo } = useUndo();
  const projects = useQuery({ queryKey: ['projects'], queryFn: () => body(api.GET('/api/v1/projects')) });
  const others =
    projects.data?.filter((other) => other.slug !== project.slug && !other.archived && !other.deleted) ?? [];
  return (
    <Menu position="bottom-start" width={320}>
      <Menu.Target>
        <button className={`bare ${classes.project}`} title={`${project.name}: ${project.revision.message}`}>
          <span className={`${classes.name} ellipsis`} style={{ display: 'block' }}>
            {project.name}
          </span>
          <span className="quiet small">revision {project.revision.number}</span>
        </button>
      </Menu.Target>
      <Menu.Dropdown>
        <Menu.Item onClick={() => void navigate(`/p/${project.slug}`)} rightSection={<Key>N</Key>}>
          What is next
        </Menu.Item>
        <Menu.Divider />
        <Menu.Item disabled={!project.undo} onClick={undo} rightSection={<Key>Ctrl Z</Key>}>
          {project.undo ? `Undo: ${project.undo.what}` : 'Undo'}
        </Menu.Item>
        <Menu.Item disabled={!project.redo} onClick={redo} rightSection={<Key>Ctrl Y</Key>}>
          {project.redo ? `Redo: ${project.redo.what}` : 'Redo'}
        </Menu.Item>
        <Menu.Divider />
        {others.map((other) => (
          <Menu.Item key={other.slug} onClick={() => void navigate(`/p/${other.slug}`)}>
            {other.name}
          </Menu.Item>
        ))}
        <Menu.Item onClick={() => void navigate('/?all')}>All projects, new project</Menu.Item>
        <Menu.Divider />
        <Menu.Item onClick={() => guide?.go('guide/README')} rightSection={<Key>G</Key>}>
          Guide
        </Menu.Item>
        <Menu.Item onClick={() => void navigate('/screen')}>Check this screen</Menu.Item>
        <Menu.Item onClick={() => void navigate('/findings')}>What each finding means</Menu.Item>
        <Menu.Item onClick={() => void navigate('/glossary')}>Glossary</Menu.Item>
      </Menu.Dropdown>
    </Menu>
  );
}
