import { Button, Upload } from "antd";

/** One big button that takes a file and hands it on at once. */
export function FilePick(props: {
  label: string;
  accept: string;
  first: boolean;
  busy: boolean;
  onFile: (file: Blob) => unknown;
}) {
  return (
    <Upload
      accept={props.accept}
      showUploadList={false}
      beforeUpload={(f) => {
        void props.onFile(f);
        return false;
      }}
    >
      <Button type={props.first ? "primary" : "default"} size="large" loading={props.busy}>
        {props.label}
      </Button>
    </Upload>
  );
}

export const pictures = ".png,.jpg,.jpeg,.bmp,.tif,.tiff";

/** What a browser shows without help. */
export const photos = ".png,.jpg,.jpeg,.bmp";
