// Every screen, in the order of the navigation. A screen is a route file in its feature's folder, and a line here.
import type { QueryClient } from "@tanstack/react-query";
import { createRouter } from "@tanstack/react-router";

import { signInRoute } from "../features/account/account.route";
import { alertRoute, alertsRoute, conditionsRoute, troublesRoute } from "../features/alerts/alerts.route";
import { caseRoute, casesRoute } from "../features/cases/cases.route";
import { changesRoute, compareRoute } from "../features/changes/changes.route";
import { collectorsRoute } from "../features/collectors/collectors.route";
import { deadlockRoute, deadlocksRoute, logRoute } from "../features/deadlocks/deadlocks.route";
import { indexesRoute } from "../features/indexes/indexes.route";
import { historyRoute, leadsRoute } from "../features/leads/leads.route";
import { loadRoute, totalRoute } from "../features/load/load.route";
import { blockingRoute } from "../features/locks/locks.route";
import { machineRoute } from "../features/machine/machine.route";
import { groupRoute } from "../features/overview/overview.route";
import { accountRoute, peopleRoute, recordRoute } from "../features/people/people.route";
import {
  planRoute,
  plansComparedRoute,
  plansRoute,
  serverPlanRoute,
  serverPlansComparedRoute,
} from "../features/plans/plans.route";
import {
  callsRoute,
  endpointRoute,
  endpointsRoute,
  repeatedRoute,
  requestRoute,
} from "../features/requests/requests.route";
import { samplesRoute } from "../features/samples/samples.route";
import { serversRoute, settingsRoute } from "../features/servers/servers.route";
import { pastSessionsRoute, sessionsRoute, tapeRoute } from "../features/sessions/sessions.route";
import { executionsRoute, rankingRoute, splitRoute, statementRoute } from "../features/statements/statements.route";
import { referenceRoute, tokensRoute } from "../features/tokens/tokens.route";
import { parseQuery, writeQuery } from "../lib/search";
import { BrokenView } from "../shell/BrokenView";
import { inside, root, server } from "../shell/routes";

const tree = root.addChildren([
  signInRoute,
  inside.addChildren([
    serversRoute,
    alertsRoute,
    alertRoute,
    conditionsRoute,
    troublesRoute,
    casesRoute,
    caseRoute,
    plansRoute,
    planRoute,
    plansComparedRoute,
    groupRoute,
    peopleRoute,
    recordRoute,
    collectorsRoute,
    accountRoute,
    tokensRoute,
    referenceRoute,
    server.addChildren([
      leadsRoute,
      historyRoute,
      changesRoute,
      compareRoute,
      loadRoute,
      totalRoute,
      samplesRoute,
      rankingRoute,
      executionsRoute,
      splitRoute,
      indexesRoute,
      statementRoute,
      sessionsRoute,
      pastSessionsRoute,
      blockingRoute,
      deadlocksRoute,
      logRoute,
      serverPlanRoute,
      serverPlansComparedRoute,
      tapeRoute,
      deadlockRoute,
      endpointsRoute,
      repeatedRoute,
      callsRoute,
      endpointRoute,
      requestRoute,
      machineRoute,
      settingsRoute,
    ]),
  ]),
]);

/** The router of this page. */
export const makeRouter = (queries: QueryClient) =>
  createRouter({
    routeTree: tree,
    context: { queries },
    parseSearch: parseQuery,
    stringifySearch: writeQuery,
    defaultErrorComponent: BrokenView,
  });

declare module "@tanstack/react-router" {
  interface Register {
    router: ReturnType<typeof makeRouter>;
  }
}
