import { createContext, useContext } from 'react';

import type { Upload } from '../textures/useUpload';

/** Sending textures goes on while other pages are shown. */
export const UploadContext = createContext<Upload | undefined>(undefined);

export function useUploading(): Upload {
  const upload = useContext(UploadContext);
  if (!upload) throw new Error('used outside a project');
  return upload;
}
