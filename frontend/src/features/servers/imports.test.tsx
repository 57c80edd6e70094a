import { cleanup, screen } from "@testing-library/react";
import userEvent from "@testing-library/user-event";
import { afterEach, describe, expect, it, vi } from "vitest";

import type { Schemas } from "../../api/client";
import { shown } from "../../testing/shown";
import { ImportSamples } from "./ImportSamples";
import { ImportTraces } from "./ImportTraces";

afterEach(() => {
  cleanup();
  vi.unstubAllGlobals();
});

/** The server's side of an upload: what was posted where, and how far it got before it was answered, which is `when`. */
function answering(status: number, answer: object | string, when: Promise<unknown> = Promise.resolve()) {
  const posted: { url: string; file: File }[] = [];
  class Upload extends EventTarget {
    readonly upload = new EventTarget();
    status = 0;
    responseText = "";
    #url = "";
    open(_: string, url: string) {
      this.#url = url;
    }
    setRequestHeader() {
      return undefined;
    }
    send(body: FormData) {
      posted.push({ url: this.#url, file: body.get("file") as File });
      this.upload.dispatchEvent(Object.assign(new Event("progress"), { lengthComputable: true, loaded: 5, total: 10 }));
      void when.then(() => {
        this.status = status;
        this.responseText = typeof answer === "string" ? answer : JSON.stringify(answer);
        this.dispatchEvent(new Event(status === 0 ? "error" : "load"));
      });
    }
  }
  vi.stubGlobal("XMLHttpRequest", Upload);
  return posted;
}

const TRACES: Schemas["TraceImportOut"] = {
  ...{ server: 3, spans: 1200, rejected: 2, why: "its start is missing", traces: 40, requests: 41, duplicates: 0 },
  ...{ first: 1_790_000_000_000, last: 1_790_000_060_000 },
};
const choose = (label: string, name: string) =>
  userEvent.upload(screen.getByLabelText(label), new File(["{}"], name), { applyAccept: false });
const press = () => userEvent.click(screen.getByRole("button", { name: /^import / }));

describe("traces from a file", () => {
  it("are sent, with how far that is, and lead to their requests", async () => {
    let answer = (): void => undefined;
    const posted = answering(200, TRACES, new Promise<void>((done) => (answer = done)));
    await shown(<ImportTraces server={3} canAct />);
    expect(screen.getByRole<HTMLButtonElement>("button", { name: /^import / }).disabled).toBe(true);
    await choose("file with traces", "traces.jsonl.gz");
    await press();
    expect(await screen.findByText("50% sent")).toBeTruthy();
    answer();
    const told = await screen.findByRole("status");
    expect(told.textContent).toContain(
      "41 requests of 40 traces and 1200 spans; 2 rejected, the first because its start is missing.",
    );
    expect(screen.getByRole("link", { name: "look at them" }).getAttribute("href")).toContain(
      "/servers/3/endpoints?from=",
    );
    expect(posted.map((one) => [one.url, one.file.name])).toEqual([
      ["/api/v1/servers/3/import/traces", "traces.jsonl.gz"],
    ]);
  });

  it("that are known already count once, and without a request lead nowhere", async () => {
    answering(200, { ...TRACES, rejected: 0, duplicates: 1200, requests: 0, first: null, last: null });
    await shown(<ImportTraces server={3} canAct />);
    await choose("file with traces", "a.json");
    await press();
    expect((await screen.findByRole("status")).textContent).toContain("1200 spans were known before and count once");
    expect(screen.queryByRole("link")).toBeNull();
  });

  it.each([
    [
      400,
      { title: "Bad input", detail: "this is a gzip that is cut off", status: 400 },
      "this is a gzip that is cut off",
    ],
    [413, "<html>too large</html>", "Nothing was imported"],
    [0, "", "The upload broke off; try again."],
  ])("that are refused with %i say why, and can be sent again", async (status, answer, words) => {
    answering(status, answer);
    await shown(<ImportTraces server={3} canAct />);
    await choose("file with traces", "a.json");
    await press();
    expect((await screen.findByRole("alert")).textContent).toContain(words);
    expect(screen.getByRole<HTMLButtonElement>("button", { name: /^import / }).disabled).toBe(false);
  });

  it("are not sent by a viewer", async () => {
    await shown(<ImportTraces server={3} canAct={false} />);
    expect(screen.getByLabelText<HTMLInputElement>("file with traces").matches(":disabled")).toBe(true);
  });
});

describe("samples from a file", () => {
  it("go into the server that is named, in the form that the file's name tells", async () => {
    const report = { server: 9, rows: 60, ticks: 50, ticks_known: 10, first: 1, last: 50_000, refused: 1 };
    const posted = answering(200, { ...report, faults: [{ line: 7, reason: "state is missing" }] });
    await shown(<ImportSamples canAct suggested="old one" />);
    await choose("file with samples", "samples.csv");
    await press();
    expect((await screen.findByRole("status")).textContent).toContain(
      "50 moments stored of 60 rows; 10 were known before",
    );
    expect(screen.getByText("state is missing")).toBeTruthy();
    expect(posted[0]?.url).toBe("/api/v1/import/samples?server=old+one&format=csv");
  });

  it("of another form, or for no server, are not sent", async () => {
    await shown(<ImportSamples canAct suggested="" />);
    await choose("file with samples", "samples.xlsx");
    expect(screen.getByText("samples.xlsx ends neither in .csv nor in .jsonl")).toBeTruthy();
    await choose("file with samples", "samples.jsonl");
    expect(screen.queryByText(/ends neither/)).toBeNull();
    expect(screen.getByRole<HTMLButtonElement>("button", { name: /^import / }).disabled).toBe(true);
    await userEvent.type(screen.getByLabelText("into server"), "mine");
    expect(screen.getByRole<HTMLButtonElement>("button", { name: /^import / }).disabled).toBe(false);
  });
});
