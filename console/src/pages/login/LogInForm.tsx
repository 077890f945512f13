import { Button, Form, Input } from "antd";
import { useState } from "react";
import { problemOf, type Problem } from "../../api/client";
import { ProblemNote } from "../../parts/ProblemNote";
import { useSession } from "../../session";

/** Asks for a name and a password. */
export function LogInForm({ name }: { name?: string }) {
  const { logIn } = useSession();
  const [problem, setProblem] = useState<Problem | null>(null);
  const [busy, setBusy] = useState(false);

  async function submit(values: { name: string; password: string }) {
    setBusy(true);
    setProblem(null);
    try {
      await logIn(values.name, values.password);
    } catch (error) {
      setProblem(problemOf(error));
    } finally {
      setBusy(false);
    }
  }

  return (
    <Form layout="vertical" requiredMark={false} initialValues={{ name }} onFinish={submit}>
      <Form.Item label="Name" name="name" rules={[{ required: true, message: "Enter your user name" }]}>
        <Input autoFocus={!name} autoComplete="username" autoCapitalize="none" />
      </Form.Item>
      <Form.Item label="Password" name="password" rules={[{ required: true, message: "Enter your password" }]}>
        <Input.Password autoFocus={!!name} autoComplete="current-password" />
      </Form.Item>
      {problem && <ProblemNote problem={problem} />}
      <Button type="primary" htmlType="submit" loading={busy}>
        Log in
      </Button>
    </Form>
  );
}
