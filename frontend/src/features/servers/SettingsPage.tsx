import { useQuery } from "@tanstack/react-query";

import { CaptureForm } from "./CaptureForm";
import { Connection } from "./Connection";
import { CloseWatch } from "./CloseWatch";
import { ImportSamples } from "./ImportSamples";
import { ImportTraces } from "./ImportTraces";
import { LogState } from "./LogState";
import { TraceSources } from "./TraceSources";
import { captureQuery } from "./queries";
import { AnswerState } from "../../ui/Answer";

/** How a server is captured and what that costs it; close watch; samples from files. */
export const SettingsPage = ({ server, role }: { readonly server: number; readonly role: string }) => {
  const capture = useQuery(captureQuery(server));
  if (!capture.data)
    return (
      <div className="px-6">
        <AnswerState of={capture} what="the settings" />
      </div>
    );
  return (
    <div className="grid grid-cols-[minmax(0,1fr)_minmax(0,1fr)] gap-10 px-6 py-3">
      <CaptureForm key={capture.data.name} server={server} capture={capture.data} canChange={role === "admin"} />
      <div className="flex flex-col gap-6">
        {role === "admin" ? <Connection server={server} can={capture.data.can} /> : null}
        {!capture.data.can.includes("sample") ? null : (
          <CloseWatch server={server} capture={capture.data} canAct={role !== "viewer"} />
        )}
        {!capture.data.can.includes("sample") ? null : <LogState capture={capture.data} />}
        <TraceSources server={server} canChange={role === "admin"} />
        <ImportTraces server={server} canAct={role !== "viewer"} />
        <ImportSamples
          canAct={role !== "viewer"}
          suggested={capture.data.can.includes("files") ? capture.data.name : ""}
        />
      </div>
    </div>
  );
};
