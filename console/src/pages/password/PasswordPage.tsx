import { Button, Form, Input } from "antd";
import { useMutation } from "@tanstack/react-query";
import { answer, api, problemOf, type Schemas } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { useSession } from "../../session";
import { Sessions } from "../course/Sessions";
import { OwnCalendar } from "./OwnCalendar";
import { OwnMail } from "./OwnMail";
import { useTitle } from "../../parts/useTitle";

/** Changes one's own password. */
export function PasswordPage() {
  useTitle("Password");
  const { session, reload } = useSession();
  const [form] = Form.useForm<Schemas["PasswordChange"]>();
  const change = useMutation({
    mutationFn: (body: Schemas["PasswordChange"]) => answer(api.PUT("/api/password", { body })),
    onSuccess: () => {
      form.resetFields();
      return reload();
    },
  });
  return (
    <section className="page narrow">
      <h1>{session!.account.one_time_password ? "Password" : "My account and password"}</h1>
      {session!.account.one_time_password && (
        <p>You are logged in with a one-time password. Choose one of your own to go on.</p>
      )}
      <Form form={form} layout="vertical" requiredMark={false} onFinish={(values) => change.mutate(values)}>
        <Form.Item
          label="Current password"
          name="current"
          rules={[{ required: true, message: "The current password is needed" }]}
        >
          <Input.Password autoComplete="current-password" />
        </Form.Item>
        <Form.Item
          label="New password, of at least 10 characters"
          name="new"
          rules={[{ required: true, message: "A new password is needed" }]}
        >
          <Input.Password autoComplete="new-password" />
        </Form.Item>
        {change.error && <ProblemNote problem={problemOf(change.error)} />}
        {change.isSuccess && <p role="status">The password is changed. Other sessions of yours have ended.</p>}
        <Button type="primary" htmlType="submit" loading={change.isPending}>
          Change the password
        </Button>
      </Form>
      {!session!.account.one_time_password && (
        <>
          <OwnCalendar />
          <OwnMail />
          <h2>Where I am logged in</h2>
          <Sessions account={session!.account.name} />
          <h2>What is stored of me</h2>
          <p>
            <a href={`/api/accounts/${session!.account.name}/file?format=html`} download="what-is-stored.html">
              As a page to read
            </a>{" "}
            ·{" "}
            <a href={`/api/accounts/${session!.account.name}/file`} download="what-is-stored.json">
              as JSON
            </a>
          </p>
        </>
      )}
    </section>
  );
}
