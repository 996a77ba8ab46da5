import { Button, Select } from "antd";
import { useEffect, useRef, useState } from "react";
import { useTranslation } from "react-i18next";

const HAS_CAMERA = typeof navigator !== "undefined" && !!navigator.mediaDevices?.getUserMedia;

/** Takes a picture from a microscope or camera that this device sees, and hands it on as a PNG at its full size. */
export function Camera({ label, onTake }: { label: string; onTake: (picture: Blob) => unknown }) {
  const { t } = useTranslation();
  const [open, setOpen] = useState(false);
  if (!HAS_CAMERA) return null;
  return (
    <>
      <Button size="large" aria-expanded={open} onClick={() => setOpen(!open)}>
        {label}
      </Button>
      {open && (
        <View
          onTake={(picture) => {
            setOpen(false);
            onTake(picture);
          }}
          onClose={() => setOpen(false)}
          name={t("camera.view")}
        />
      )}
    </>
  );
}

function View(props: { name: string; onTake: (picture: Blob) => unknown; onClose: () => void }) {
  const { t } = useTranslation();
  const video = useRef<HTMLVideoElement>(null);
  const [deviceId, setDevice] = useState<string>();
  const [cameras, setCameras] = useState<MediaDeviceInfo[]>([]);
  const [failed, setFailed] = useState("");
  const [ready, setReady] = useState(false);
  useEffect(() => {
    let stream: MediaStream | undefined;
    let gone = false;
    setReady(false);
    const start = async () => {
      try {
        const size = { width: { ideal: 1920 }, height: { ideal: 1440 } };
        stream = await navigator.mediaDevices.getUserMedia({
          video: deviceId ? { deviceId: { exact: deviceId }, ...size } : size,
        });
        if (gone) return stop();
        if (video.current) video.current.srcObject = stream;
        // Their names are told only after the first was allowed.
        setCameras((await navigator.mediaDevices.enumerateDevices()).filter((d) => d.kind === "videoinput"));
        setFailed("");
      } catch (e) {
        setFailed((e as Error).message);
      }
    };
    const stop = () => {
      for (const track of stream?.getTracks() ?? []) track.stop();
    };
    void start();
    return () => {
      gone = true;
      stop();
    };
  }, [deviceId]);
  const take = () => {
    const from = video.current;
    if (!from) return;
    const canvas = document.createElement("canvas");
    canvas.width = from.videoWidth;
    canvas.height = from.videoHeight;
    canvas.getContext("2d")?.drawImage(from, 0, 0);
    canvas.toBlob((picture) => picture && props.onTake(picture), "image/png");
  };
  return (
    <section className="camera" aria-label={props.name}>
      {failed && (
        <p role="alert" className="tone-bad">
          {t("camera.failed", { why: failed })}
        </p>
      )}
      <video ref={video} autoPlay playsInline muted onLoadedData={() => setReady(true)} />
      <div className="row">
        <Button type="primary" size="large" disabled={!ready} onClick={take}>
          {t("camera.take")}
        </Button>
        {cameras.length > 1 && (
          <Select
            aria-label={t("camera.which")}
            className="w-l"
            placeholder={t("camera.which")}
            value={deviceId}
            onChange={setDevice}
            options={cameras.map((c, i) => ({ value: c.deviceId, label: c.label || t("camera.no", { no: i + 1 }) }))}
          />
        )}
        <Button size="large" onClick={props.onClose}>
          {t("app.cancel")}
        </Button>
      </div>
    </section>
  );
}
