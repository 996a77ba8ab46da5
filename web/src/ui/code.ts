import type * as Zxing from "@zxing/library";

/** The text of the first QR, Data Matrix or Code 128 in a grey picture; undefined where there is none. */
export function decode(
  zxing: typeof Zxing,
  grey: Uint8ClampedArray,
  width: number,
  height: number,
  hard: boolean,
): string | undefined {
  const hints = new Map<number, unknown>(hard ? [[zxing.DecodeHintType.TRY_HARDER, true]] : []);
  const source = new zxing.RGBLuminanceSource(grey, width, height);
  // Light that falls unevenly wants the one, large squares in poor light the other.
  for (const Binarizer of [zxing.HybridBinarizer, zxing.GlobalHistogramBinarizer]) {
    const picture = new zxing.BinaryBitmap(new Binarizer(source));
    // Each reader by itself: the library's reader of all kinds writes to the console where it sees none.
    for (const Reader of [zxing.QRCodeReader, zxing.DataMatrixReader, zxing.Code128Reader]) {
      try {
        return new Reader().decode(picture, hints as Map<Zxing.DecodeHintType, unknown>).getText();
      } catch {
        // none that this one sees
      }
    }
  }
  return undefined;
}
