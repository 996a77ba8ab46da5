import { useQueryClient } from "@tanstack/react-query";
import { App, Button, Checkbox, Form, Input, Select } from "antd";
import { useDeferredValue, useState } from "react";
import { useTranslation } from "react-i18next";
import { http, type S, stale } from "../../api/client";
import { useCodeRoles, useCrews, usePeoplePages, useSignIns } from "../../api/hooks";
import { RowEdit } from "../../domain/RowEdit";
import { Dialog, overPage } from "../../ui/Dialog";
import { Await, Find, Grid, useChoices, useFault } from "../../ui/Parts";
import { roomy } from "../../ui/room";
import { SignInList } from "./SignInList";

/** The office keeps crews and people. */
export default function Crew() {
  const { t } = useTranslation();
  const crews = useCrews();
  const [typed, setTyped] = useState("");
  const [withLeft, setWithLeft] = useState(false);
  const people = usePeoplePages({
    find: useDeferredValue(typed.trim()) || undefined,
    disabled: withLeft || undefined,
  });
  const [changing, setChanging] = useState<S["Person"] | null>(null);
  const [watched, setWatched] = useState<S["Person"] | null>(null);
  const client = useQueryClient();
  const fault = useFault();
  const options = useChoices();
  const { message, modal } = App.useApp();
  const [crewForm] = Form.useForm();
  const [personForm] = Form.useForm();
  // What a form shows is what it sends: nothing of the other one.
  const add = async (path: "/api/crews" | "/api/people", form: typeof crewForm) => {
    try {
      await http.POST(path, { body: form.getFieldsValue() });
      form.resetFields();
      await stale(client, path);
    } catch (e) {
      fault(e, form);
    }
  };
  // Where there is one crew, it is theirs; office and viewers belong to none.
  const roleChosen = (role: S["Role"]) => {
    const [only, another] = crews.data ?? [];
    if (role === "office" || role === "viewer") personForm.setFieldValue("crewId", undefined);
    else if (only && !another) personForm.setFieldValue("crewId", only.crewId);
  };
  const newPassword = (p: S["Person"]) => {
    let password = "";
    modal.confirm({
      getContainer: overPage,
      title: `${t("account.newPassword")}: ${p.name}`,
      content: (
        <Input.Password
          aria-label={t("account.newPassword")}
          onChange={(e) => {
            password = e.target.value;
          }}
        />
      ),
      onOk: async () => {
        try {
          await http.PUT("/api/people/{personId}/password", { params: { path: p }, body: { password } });
          message.success(t("account.passwordSet"));
        } catch (e) {
          fault(e);
          throw e;
        }
      },
    });
  };
  const codesFor = useCodeRoles();
  const askCodes = (roles: S["Role"][]) =>
    http
      .PUT("/api/codes", { body: { roles } })
      .then(() => stale(client, "/api/codes", "/api/session"))
      .catch(fault);
  return (
    <>
      <h1>{t("office.people")}</h1>
      <div className="cols">
        <section className="card">
          <h2>{t("account.crews")}</h2>
          <Await of={crews}>
            {(list) => (
              <ul className="list">
                {list.map((c) => (
                  <li key={c.crewId}>{c.name}</li>
                ))}
              </ul>
            )}
          </Await>
          <Form name="crew" form={crewForm} layout="vertical" onFinish={() => add("/api/crews", crewForm)}>
            <Form.Item name="name" label={t("account.crewName")} rules={[{ required: true }]}>
              <Input />
            </Form.Item>
            <Button htmlType="submit">{t("account.addCrew")}</Button>
          </Form>
        </section>
        <section className="card">
          <h2>{t("account.addPerson")}</h2>
          <Form name="person" form={personForm} layout="vertical" onFinish={() => add("/api/people", personForm)}>
            <Form.Item name="name" label={t("account.personName")} rules={[{ required: true }]}>
              <Input autoComplete="off" />
            </Form.Item>
            <Form.Item name="login" label={t("account.login")} rules={[{ required: true }]}>
              <Input autoComplete="off" />
            </Form.Item>
            <Form.Item
              name="password"
              label={t("account.password")}
              extra={t("account.passwordHint")}
              rules={[{ required: true }]}
            >
              <Input.Password autoComplete="new-password" />
            </Form.Item>
            <Form.Item name="role" label={t("account.role")} rules={[{ required: true }]}>
              <Select options={options("role", ["installer", "lead", "office", "viewer"])} onChange={roleChosen} />
            </Form.Item>
            <Form.Item name="crewId" label={t("account.crew")}>
              <Select allowClear options={(crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name }))} />
            </Form.Item>
            <Button htmlType="submit">{t("account.addPerson")}</Button>
          </Form>
        </section>
      </div>
      <section className="card">
        <h2>{t("account.people")}</h2>
        <div className="row middle">
          <Find label={t("account.find")} value={typed} onChange={setTyped} />
          <label className="row middle">
            {t("account.codesFor")}
            <Select
              mode="multiple"
              className={roomy("l")}
              aria-label={t("account.codesFor")}
              value={codesFor.data?.roles ?? []}
              onChange={askCodes}
              options={options("role", ["installer", "lead", "office", "viewer"])}
            />
          </label>
          <Checkbox checked={withLeft} onChange={(e) => setWithLeft(e.target.checked)}>
            {t("account.withLeft")}
          </Checkbox>
        </div>
        <Await of={people}>
          {(pages) => (
            <Grid
              rowKey={(p) => p.personId}
              rows={pages.pages.flat()}
              empty={t("account.nobody")}
              columns={[
                {
                  title: t("account.personName"),
                  render: (p) => (p.disabled ? `${p.name} · ${t("account.left")}` : p.name),
                },
                { title: t("account.login"), render: (p) => p.login },
                { title: t("account.role"), render: (p) => t(`role.${p.role}`) },
                { title: t("account.crew"), render: (p) => p.crewName },
                {
                  title: t("account.change"),
                  render: (p) => (
                    <div className="row middle">
                      <Button aria-label={`${t("account.change")}: ${p.name}`} onClick={() => setChanging(p)}>
                        {t("account.change")}
                      </Button>
                      <Button onClick={() => newPassword(p)}>{t("account.newPassword")}</Button>
                      <Button aria-label={`${t("account.signIns")}: ${p.name}`} onClick={() => setWatched(p)}>
                        {t("account.signIns")}
                      </Button>
                    </div>
                  ),
                },
              ]}
            />
          )}
        </Await>
        {people.hasNextPage && <Button onClick={() => people.fetchNextPage()}>{t("app.more")}</Button>}
      </section>
      {changing && (
        <RowEdit
          title={t("account.changePerson", { name: changing.name })}
          row={changing}
          save={(values, version) =>
            http.PUT("/api/people/{personId}", {
              params: { path: changing },
              body: { ...(values as S["PersonFields"]), version },
            })
          }
          fields={[
            { name: "name", label: t("account.personName"), kind: "text" },
            { name: "login", label: t("account.login"), kind: "text" },
            {
              name: "role",
              label: t("account.role"),
              kind: "choice",
              options: options("role", ["installer", "lead", "office", "viewer"]),
            },
            {
              name: "crewId",
              label: t("account.crew"),
              kind: "choice",
              optional: true,
              options: (crews.data ?? []).map((c) => ({ value: c.crewId, label: c.name })),
            },
            { name: "disabled", label: t("account.disabled"), kind: "flag" },
          ]}
          onDone={() => setChanging(null)}
        />
      )}
      {watched && <Watched person={watched} onDone={() => setWatched(null)} />}
    </>
  );
}

/** Where somebody is signed in, and the end of it: a tablet that was lost. */
function Watched({ person, onDone }: { person: S["Person"]; onDone: () => void }) {
  const { t } = useTranslation();
  const signIns = useSignIns(person.personId);
  const client = useQueryClient();
  const fault = useFault();
  const endAll = () =>
    http
      .DELETE("/api/people/{personId}/sign-ins", { params: { path: person } })
      .then(() => stale(client, "/api/people/{personId}/sign-ins"))
      .catch(fault);
  const { message } = App.useApp();
  const resetCode = () =>
    http
      .DELETE("/api/people/{personId}/code", { params: { path: person } })
      .then(() => message.success(t("account.codesResetDone", { name: person.name })))
      .catch(fault);
  return (
    <Dialog open title={t("account.signInsOf", { name: person.name })} onCancel={onDone} footer={null} width={720}>
      <Await of={signIns}>
        {(list) => (
          <div>
            <SignInList list={list} />
            <div className="row">
              {list.length > 0 && <Button onClick={endAll}>{t("account.endAll")}</Button>}
              <Button onClick={resetCode}>{t("account.codesReset", { name: person.name })}</Button>
            </div>
          </div>
        )}
      </Await>
    </Dialog>
  );
}
