import { Route, Switch } from "wouter";

import { DeliverPage } from "./DeliverPage";
import { LookPage } from "./LookPage";
import { KeysSheet } from "./KeysSheet";
import { GuidePage } from "./GuidePage";
import { IntakePage } from "./IntakePage";
import { ReviewPage } from "./ReviewPage";
import { ShotsPage } from "./ShotsPage";
import { Workbench } from "./Workbench";
import { SignInPage } from "./SignInPage";
import { StatusPage } from "./StatusPage";
import { useEvents } from "../api/events";
import { useSession } from "../api/session";

/** The pages, or the one to sign in on where the server asks for it. */
export function App() {
  const session = useSession();
  if (session.isPending) return null;
  if (session.data?.asked && !session.data.person) return <SignInPage />;
  return <Pages />;
}

/** The pages, by address. */
function Pages() {
  useEvents();
  return (
    <>
      <Switch>
        <Route path="/" component={ShotsPage} />
        <Route path="/server" component={StatusPage} />
        <Route path="/guide/:name">{({ name }) => <GuidePage key={name} name={name} />}</Route>
        <Route path="/intake/:id">{({ id }) => <IntakePage id={id} />}</Route>
        <Route path="/shots/:id">{({ id }) => <Workbench key={id} id={id} />}</Route>
        <Route path="/shots/:id/review/:number">
          {({ id, number }) => <ReviewPage id={id} number={Number(number)} />}
        </Route>
        <Route path="/shots/:id/look">{({ id }) => <LookPage id={id} />}</Route>
        <Route path="/shots/:id/deliver">{({ id }) => <DeliverPage id={id} />}</Route>
        <Route>
          <p className="p-8">
            There is nothing at this address. <a href="/">Go to the shots</a>
          </p>
        </Route>
      </Switch>
      <KeysSheet />
    </>
  );
}
