const WIDEST_PX = 900;
const HIGHEST_PX = 400;

/** A drawing as a picture: the browser draws it as it draws any picture, where no script runs and nothing is fetched, and only the dots are sent. */
export async function drawn(file: Blob): Promise<Blob> {
  if (file.type !== "image/svg+xml") return file;
  const address = URL.createObjectURL(file);
  try {
    const picture = new Image();
    picture.src = address;
    await picture.decode();
    // A drawing without a size of its own has none here.
    const [width, height] = [picture.naturalWidth || WIDEST_PX, picture.naturalHeight || HIGHEST_PX];
    const scale = Math.min(WIDEST_PX / width, HIGHEST_PX / height);
    const sheet = document.createElement("canvas");
    sheet.width = Math.max(1, Math.round(width * scale));
    sheet.height = Math.max(1, Math.round(height * scale));
    sheet.getContext("2d")?.drawImage(picture, 0, 0, sheet.width, sheet.height);
    return await new Promise((done, fail) => {
      sheet.toBlob((png) => (png ? done(png) : fail(new Error("no picture"))), "image/png");
    });
  } finally {
    URL.revokeObjectURL(address);
  }
}
