import type * as Zxing from "@zxing/library";

/** The text of the first QR, Data Matrix or Code 128 in a grey picture; undefined where there is none. */
export function decode(
  zxing: typeof Zxing,
  grey: Uint8ClampedArray,
  width: number,
  height: number,
  hard: boolean,
): string | undefined {
  const reader = new zxing.MultiFormatReader();
  reader.setHints(
    new Map<number, unknown>([
      [
        zxing.DecodeHintType.POSSIBLE_FORMATS,
        [zxing.BarcodeFormat.QR_CODE, zxing.BarcodeFormat.DATA_MATRIX, zxing.BarcodeFormat.CODE_128],
      ],
      ...(hard ? [[zxing.DecodeHintType.TRY_HARDER, true] as [number, unknown]] : []),
    ]),
  );
  try {
    const source = new zxing.RGBLuminanceSource(grey, width, height);
    return reader.decode(new zxing.BinaryBitmap(new zxing.HybridBinarizer(source))).getText();
  } catch {
    return undefined;
  }
}
