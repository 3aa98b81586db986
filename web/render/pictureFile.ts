/** Pictures from files, in a thread of the page. */
import { unzlibSync } from 'fflate';
import { displayCode } from '@daxel/core/film/tone';
import { displayLight, type MeasuredImage } from '@daxel/core/measure/imageError';
import { readPicture } from '@daxel/formats/image/readPicture';

/** @param moving read motion and objects of an EXR too @throws BadFileError when it is no picture */
export function readPictureFile(bytes: Uint8Array, name: string, moving = false): MeasuredImage {
  return readPicture(bytes, name, (packed, limit) => unzlibSync(packed, { out: new Uint8Array(limit) }), moving);
}

/** As the display shows it: red, green, blue and 255, a pixel. */
export function displayCodes(image: MeasuredImage): Uint8ClampedArray<ArrayBuffer> {
  const light = displayLight(image);
  const codes = new Uint8ClampedArray((light.length / 3) * 4);
  for (let i = 0; i < light.length / 3; i++) {
    for (let c = 0; c < 3; c++) codes[i * 4 + c] = displayCode(light[i * 3 + c]);
    codes[i * 4 + 3] = 255;
  }
  return codes;
}
