import { Button } from "antd";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";
import { decode } from "./code";

const HAS_CAMERA = typeof navigator !== "undefined" && !!navigator.mediaDevices?.getUserMedia;
const EVERY_MS = 200;

/** Reads a printed code (QR, Data Matrix, Code 128) with the device's camera, or from a photo; what it says is handed on as it stands. Nothing leaves the device. */
export function Scan({ label, onRead }: { label: string; onRead: (text: string) => unknown }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  const [said, setSaid] = useState("");
  const file = useRef<HTMLInputElement>(null);
  const read = (text: string) => {
    setOpen(false);
    setSaid("");
    onRead(text);
  };
  return (
    <>
      <Button size="large" aria-expanded={open} onClick={() => (HAS_CAMERA ? setOpen(!open) : file.current?.click())}>
        {label}
      </Button>
      <input
        ref={file}
        hidden
        type="file"
        accept="image/*"
        aria-label={t("scan.photo")}
        onChange={async (e) => {
          const photo = e.target.files?.[0];
          e.target.value = "";
          if (!photo) return;
          const found = await readCode(await createImageBitmap(photo).catch(() => null), true);
          if (found) read(found);
          else setSaid(t("scan.none"));
        }}
      />
      {open && <Live onRead={read} onPhoto={() => file.current?.click()} onClose={() => setOpen(false)} />}
      {said && <p role="alert">{said}</p>}
    </>
  );
}

function Live(props: { onRead: (text: string) => unknown; onPhoto: () => unknown; onClose: () => void }) {
  const { t } = useTranslation();
  const video = useRef<HTMLVideoElement>(null);
  const [failed, setFailed] = useState("");
  const onRead = useRef(props.onRead);
  onRead.current = props.onRead;
  useEffect(() => {
    let stream: MediaStream | undefined;
    let gone = false;
    let next: ReturnType<typeof setTimeout>;
    const look = async () => {
      if (gone) return;
      const from = video.current;
      if (from && from.videoWidth > 0) {
        const text = await readCode(from, false).catch(() => undefined);
        if (gone) return;
        if (text) return onRead.current(text);
      }
      next = setTimeout(look, EVERY_MS);
    };
    navigator.mediaDevices
      .getUserMedia({ video: { facingMode: "environment", width: { ideal: 1280 }, height: { ideal: 720 } } })
      .then((s) => {
        stream = s;
        if (gone) {
          for (const track of s.getTracks()) track.stop();
          return;
        }
        if (video.current) video.current.srcObject = s;
        void look();
      })
      .catch((e: Error) => setFailed(e.message));
    return () => {
      gone = true;
      clearTimeout(next);
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
  }, []);
  return (
    <section className="camera" aria-label={t("scan.view")}>
      {failed && (
        <p role="alert" className="tone-bad">
          {t("camera.failed", { why: failed })}
        </p>
      )}
      <video ref={video} autoPlay playsInline muted />
      <div className="row">
        <Button size="large" onClick={props.onPhoto}>
          {t("scan.photo")}
        </Button>
        <Button size="large" onClick={props.onClose}>
          {t("app.cancel")}
        </Button>
      </div>
    </section>
  );
}

const MOST_PX = 1600;

/** The text of the first code in a picture; undefined where there is none. */
export async function readCode(
  from: HTMLVideoElement | ImageBitmap | null,
  hard: boolean,
): Promise<string | undefined> {
  if (!from) return undefined;
  const zxing = await import("@zxing/library");
  const [w, h] = "videoWidth" in from ? [from.videoWidth, from.videoHeight] : [from.width, from.height];
  const scale = Math.min(1, MOST_PX / Math.max(w, h));
  const canvas = document.createElement("canvas");
  canvas.width = Math.max(1, Math.round(w * scale));
  canvas.height = Math.max(1, Math.round(h * scale));
  const paper = canvas.getContext("2d", { willReadFrequently: true });
  if (!paper) return undefined;
  paper.drawImage(from, 0, 0, canvas.width, canvas.height);
  const { data } = paper.getImageData(0, 0, canvas.width, canvas.height);
  const grey = new Uint8ClampedArray(canvas.width * canvas.height);
  for (let i = 0; i < grey.length; i++)
    grey[i] = ((data[4 * i] ?? 0) * 77 + (data[4 * i + 1] ?? 0) * 151 + (data[4 * i + 2] ?? 0) * 28) >> 8;
  return decode(zxing, grey, canvas.width, canvas.height, hard);
}
