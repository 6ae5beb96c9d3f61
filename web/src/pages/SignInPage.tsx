import { useQueryClient } from "@tanstack/react-query";
import { useState, type FormEvent } from "react";

import { signIn } from "../api/session";
import { Button } from "../ui/Button";
import { Mark } from "../ui/Mark";

const FIELD =
  "mt-1 mb-4 block h-9 w-full rounded-md border border-line bg-cloth-raised px-2.5 focus:border-teal";

/** Name and password, where the server asks for them. */
export function SignInPage() {
  const queries = useQueryClient();
  const [name, setName] = useState("");
  const [password, setPassword] = useState("");
  const [wrong, setWrong] = useState("");
  const [trying, setTrying] = useState(false);
  const send = async (event: FormEvent) => {
    event.preventDefault();
    setTrying(true);
    try {
      await signIn(name, password);
      setWrong("");
      await queries.invalidateQueries();
    } catch (error) {
      setPassword("");
      setWrong(error instanceof Error ? error.message : String(error));
    } finally {
      setTrying(false);
    }
  };
  return (
    <main className="mx-auto flex min-h-full w-full max-w-[340px] flex-col justify-center px-6 pb-24">
      <div className="mb-5 flex items-center gap-3">
        <Mark />
        <h1 className="text-[17px] font-semibold">Sign in to Wise Glove</h1>
      </div>
      <form onSubmit={(event) => void send(event)}>
        <label>
          Name
          <input
            className={FIELD}
            autoComplete="username"
            required
            maxLength={40}
            value={name}
            onChange={(event) => setName(event.target.value)}
          />
        </label>
        <label>
          Password
          <input
            className={FIELD}
            type="password"
            autoComplete="current-password"
            required
            maxLength={200}
            value={password}
            onChange={(event) => setPassword(event.target.value)}
          />
        </label>
        <Button look="main" type="submit" disabled={trying}>
          Sign in
        </Button>
        <p className="mt-4 min-h-10 text-brick" role="alert">
          {wrong}
        </p>
      </form>
    </main>
  );
}
