import { createBrowserRouter, Navigate } from 'react-router';

import { Broken } from './Broken';
import { FindingCodes } from './FindingCodes';
import { Glossary } from './Glossary';
import { ProjectFrame } from './ProjectFrame';
import { Projects } from './Projects';

export const router = createBrowserRouter([
  { path: '/', element: <Projects />, errorElement: <Broken /> },
  { path: '/new', lazy: async () => ({ Component: (await import('../start/Start')).Start }), errorElement: <Broken /> },
  { path: '/screen', lazy: async () => ({ Component: (await import('../screen/Screen')).Screen }), errorElement: <Broken /> },
  { path: '/guide/*', lazy: async () => ({ Component: (await import('../guide/GuideAlone')).GuideAlone }), errorElement: <Broken /> },
  { path: '/findings', element: <FindingCodes />, errorElement: <Broken /> },
  { path: '/glossary', element: <Glossary />, errorElement: <Broken /> },
  {
    path: '/p/:slug',
    element: <ProjectFrame />,
    errorElement: <Broken />,
    children: [
      { index: true, lazy: async () => ({ Component: (await import('../next/Next')).Next }) },
      { path: 'config', lazy: async () => ({ Component: (await import('../config/Config')).Config }) },
      { path: 'textures', lazy: async () => ({ Component: (await import('../textures/Textures')).Textures }) },
      { path: 'textures/convert', lazy: async () => ({ Component: (await import('../textures/Convert')).Convert }) },
      { path: 'textures/:id', lazy: async () => ({ Component: (await import('../textures/TextureView')).TextureView }) },
      { path: 'scene', lazy: async () => ({ Component: (await import('../scene/Scene')).Scene }) },
      { path: 'compare', lazy: async () => ({ Component: (await import('../compare/Compare')).Compare }) },
      { path: 'handoffs', lazy: async () => ({ Component: (await import('../handoffs/Handoffs')).Handoffs }) },
      { path: 'outputs', lazy: async () => ({ Component: (await import('../outputs/Outputs')).Outputs }) },
    ],
  },
  { path: '*', element: <Navigate to="/" replace /> },
]);
