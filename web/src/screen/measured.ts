const SENT = [200, 80, 60] as const;
/** Steps of 8 bits by which a colour of Display P3 differs from the same numbers in sRGB, at least. */
const TELLING = 4;

/** What the browser can tell of itself and the screen. */
export async function measured(): Promise<{ is_hdr: boolean; is_managed: boolean | null; sees_p3?: false }> {
  const is_hdr = matchMedia('(dynamic-range: high)').matches;
  const is_managed = await managesColours();
  return { is_hdr, is_managed };
}

/** Whether a picture in Display P3 is read back in other numbers from a canvas of sRGB. */
async function managesColours(): Promise<boolean | null> {
  const image = new Image();
  image.src = '/api/v1/screen/tagged.png';
  try {
    await image.decode();
  } catch {
    return null;
  }
  const canvas = document.createElement('canvas');
  canvas.width = canvas.height = 8;
  const context = canvas.getContext('2d', { colorSpace: 'srgb' });
  if (!context) return null;
  context.drawImage(image, 0, 0);
  const [red = 0, green = 0] = context.getImageData(4, 4, 1, 1).data;
  return Math.abs(red - SENT[0]) >= TELLING || Math.abs(green - SENT[1]) >= TELLING;
}
