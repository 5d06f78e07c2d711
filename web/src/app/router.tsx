import { createBrowserRouter, Navigate } from 'react-router';

import { FindingCodes } from './FindingCodes';
import { ProjectFrame } from './ProjectFrame';
import { Projects } from './Projects';

export const router = createBrowserRouter([
  { path: '/', element: <Projects /> },
  { path: '/findings', element: <FindingCodes /> },
  {
    path: '/p/:slug',
    element: <ProjectFrame />,
    children: [
      { index: true, element: <Navigate to="config" replace /> },
      { path: 'config', lazy: async () => ({ Component: (await import('../config/Config')).Config }) },
      { path: 'textures', lazy: async () => ({ Component: (await import('../textures/Textures')).Textures }) },
      { path: 'scene', lazy: async () => ({ Component: (await import('../scene/Scene')).Scene }) },
      { path: 'compare', lazy: async () => ({ Component: (await import('../compare/Compare')).Compare }) },
      { path: 'handoffs', lazy: async () => ({ Component: (await import('../handoffs/Handoffs')).Handoffs }) },
      { path: 'outputs', lazy: async () => ({ Component: (await import('../outputs/Outputs')).Outputs }) },
    ],
  },
  { path: '*', element: <Navigate to="/" replace /> },
]);
