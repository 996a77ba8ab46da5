import { Form, type FormInstance, Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { useCrews, usePeoplePages } from "../../api/hooks";

/** A crew, and one of its people where it is not the whole crew's. */
export function CrewPerson({ form, required }: { form: FormInstance; required?: boolean }) {
  const { t } = useTranslation();
  const crews = useCrews();
  const [typed, setTyped] = useState("");
  const people = usePeoplePages({ find: useDeferredValue(typed.trim()) || undefined });
  const crewId = Form.useWatch("crewId", form);
  return (
    <>
      <Form.Item name="crewId" label={t("assign.crew")} rules={[{ required }]}>
        <Select
          className="w-m"
          allowClear={!required}
          placeholder={required ? undefined : t("plan.asItIs")}
          onChange={() => form.setFieldValue("personId", undefined)}
          options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))}
        />
      </Form.Item>
      <Form.Item name="personId" label={t("assign.person")}>
        <Select
          allowClear
          disabled={!crewId}
          showSearch={{ filterOption: false, onSearch: setTyped }}
          placeholder={t("assign.wholeCrew")}
          className="w-m"
          onPopupScroll={() => people.hasNextPage && people.fetchNextPage()}
          options={(people.data?.pages.flat() ?? [])
            .filter((p) => p.crewId === crewId)
            .map((p) => ({ value: p.personId, label: p.name }))}
        />
      </Form.Item>
    </>
  );
}
