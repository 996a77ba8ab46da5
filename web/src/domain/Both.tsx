import { Button, Modal } from "antd";
import { useTranslation } from "react-i18next";
import { Grid } from "../ui/Parts";

/** Two changed one thing: what differs, side by side, and whose it shall be. */
export function Both(props: {
  title: string;
  rows: { what: string; mine: string; theirs: string }[];
  onMine: () => void;
  onTheirs: () => void;
}) {
  const { t } = useTranslation();
  return (
    <Modal
      open
      title={props.title}
      onCancel={props.onTheirs}
      footer={
        <>
          <Button onClick={props.onTheirs}>{t("plan.takeTheirs")}</Button>
          <Button type="primary" onClick={props.onMine}>
            {t("plan.keepMine")}
          </Button>
        </>
      }
    >
      <p>{t("plan.bothText")}</p>
      <Grid
        rowKey={(r) => r.what}
        rows={props.rows.filter((r) => r.mine !== r.theirs)}
        empty={t("plan.bothSame")}
        columns={[
          { title: "", render: (r) => r.what },
          { title: t("plan.mine"), render: (r) => r.mine },
          { title: t("plan.theirs"), render: (r) => r.theirs },
        ]}
      />
    </Modal>
  );
}
