import { Alert, Button } from "antd";
import { Component, type ReactNode } from "react";
import { useTranslation } from "react-i18next";
import { ApiError } from "../api/client";

type Props = { children: ReactNode; room: string };
type State = { error: Error | null; room: string };

/** A room that breaks takes no other with it: it says so, with the request's id where there was one, and opens again. */
export class RoomBoundary extends Component<Props, State> {
  override state: State = { error: null, room: this.props.room };

  static getDerivedStateFromError = (error: Error) => ({ error });

  /** Another room is another try. */
  static getDerivedStateFromProps = (props: Props, state: State) =>
    props.room === state.room ? null : { error: null, room: props.room };

  override render() {
    const { error } = this.state;
    return error ? <Broken error={error} onAgain={() => this.setState({ error: null })} /> : this.props.children;
  }
}

function Broken({ error, onAgain }: { error: Error; onAgain: () => void }) {
  const { t } = useTranslation();
  return (
    <Alert
      type="error"
      showIcon
      title={t("app.brokenRoom")}
      description={[error.message, error instanceof ApiError && error.problem.requestId].filter(Boolean).join(" · ")}
      action={<Button onClick={onAgain}>{t("app.openAgain")}</Button>}
    />
  );
}
