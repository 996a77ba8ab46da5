import { useTranslation } from "react-i18next";
import type { S } from "../../../api/client";
import { Many } from "../fields";
import type { Doc } from "../useDraft";
import { choicesOf, useChoiceOf, whenOf } from "./schools";

/** For which schools, or for which connectors, something holds. */
export function OnlyWhen(props: {
  doc: Doc;
  at: string;
  value: S["When"] | null | undefined;
  onChange: (when: S["When"] | null) => void;
}) {
  const { t } = useTranslation();
  const choiceOf = useChoiceOf();
  return (
    <Many
      label={t("methods.onlyWhen")}
      at={props.at}
      value={choicesOf(props.value)}
      options={choiceOf(props.doc)}
      onChange={(v) => props.onChange(whenOf(v))}
    />
  );
}
