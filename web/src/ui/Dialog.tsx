import { Modal, type ModalProps } from "antd";

let place: HTMLElement | undefined;

/** Where dialogs stand: in the body itself the library would hold the page still by a style of its own, which the content policy refuses; the theme does it instead. */
export function overPage() {
  if (!place?.isConnected) {
    place = document.createElement("div");
    document.body.append(place);
  }
  return place;
}

/** A question over the page, until it is answered. */
export const Dialog = (props: ModalProps) => <Modal getContainer={overPage} {...props} />;
