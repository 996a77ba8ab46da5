import { useTranslation } from "react-i18next";
import { query } from "../../api/client";

/** What is on screen, as files. */
export function Files({ path, asked }: { path: string; asked: Record<string, string | undefined> }) {
  const { t } = useTranslation();
  return (
    <span className="row noprint">
      {(["pdf", "csv", "xlsx"] as const).map((format) => (
        <a key={format} href={path + query({ ...asked, format })} download>
          {t("day.file", { format: format.toUpperCase() })}
        </a>
      ))}
    </span>
  );
}
