/** Candidates laid out together with their numbers, as one PNG. */
import type { Held } from '../components/ComparePictures.vue';

const GAP = 16;
const CAPTION = 44;

/** @param caption two lines under each picture */
export async function contactSheet(held: readonly Held[], caption: (h: Held) => [string, string]): Promise<Blob> {
  const columns = held.length > 4 ? 3 : held.length > 1 ? 2 : 1;
  const rows = Math.ceil(held.length / columns);
  const width = Math.max(...held.map((h) => h.picture.width));
  const height = Math.max(...held.map((h) => h.picture.height));
  const sheet = document.createElement('canvas');
  sheet.width = columns * (width + GAP) + GAP;
  sheet.height = rows * (height + CAPTION + GAP) + GAP;
  const context = sheet.getContext('2d');
  if (!context) throw new Error('This browser draws no pictures.');
  context.fillStyle = '#777777';
  context.fillRect(0, 0, sheet.width, sheet.height);
  held.forEach((h, i) => {
    const x = GAP + (i % columns) * (width + GAP);
    const y = GAP + Math.floor(i / columns) * (height + CAPTION + GAP);
    context.putImageData(new ImageData(h.picture.codes, h.picture.width, h.picture.height), x, y);
    context.fillStyle = '#f4f4f4';
    context.fillRect(x, y + height, width, CAPTION);
    context.fillStyle = '#161616';
    const [first, second] = caption(h);
    context.font = '600 15px "Archivo Variable", sans-serif';
    context.fillText(first, x + 10, y + height + 18, width - 20);
    context.font = '400 13px "Archivo Variable", sans-serif';
    context.fillText(second, x + 10, y + height + 36, width - 20);
  });
  return new Promise((done, failed) =>
    sheet.toBlob(
      (blob) => (blob ? done(blob) : failed(new Error('The sheet is too large for this browser.'))),
      'image/png',
    ),
  );
}
