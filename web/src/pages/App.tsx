import { Route, Switch } from "wouter";

import { DeliverPage } from "./DeliverPage";
import { KeysSheet } from "./KeysSheet";
import { IntakePage } from "./IntakePage";
import { ShotsPage } from "./ShotsPage";
import { Workbench } from "./Workbench";
import { useEvents } from "../api/events";

/** The pages, by address. */
export function App() {
  useEvents();
  return (
    <>
      <Switch>
        <Route path="/" component={ShotsPage} />
        <Route path="/intake/:id">{({ id }) => <IntakePage id={id} />}</Route>
        <Route path="/shots/:id">{({ id }) => <Workbench key={id} id={id} />}</Route>
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
