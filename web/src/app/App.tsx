import { Route, Switch } from "wouter";

import { DeliverPage } from "../features/deliver/DeliverPage";
import { KeysSheet } from "../features/help/KeysSheet";
import { IntakePage } from "../features/intake/IntakePage";
import { ShotsPage } from "../features/shots/ShotsPage";
import { Workbench } from "../features/workbench/Workbench";
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
