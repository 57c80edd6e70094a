// Runs before each test file: what jsdom lacks and Headless UI asks for, and what no test leaves behind for the next.
import { cleanup } from "@testing-library/react";
import { afterEach, vi } from "vitest";

import { Choice } from "../ui/Choice";
import { Dialog } from "../ui/Dialog";
import { Menu } from "../ui/Menu";
import { DataTable } from "../ui/table/DataTable";

class NoResizeObserver {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
globalThis.ResizeObserver = NoResizeObserver;

// Nor has it a page to scroll, which the router puts back where it was.
window.scrollTo = () => undefined;

// Nor do its files tell what is in them but in the old way.
Blob.prototype.text = function text(this: Blob) {
  return new Promise((resolve, reject) => {
    const reader = new FileReader();
    reader.onload = () => resolve(reader.result as string);
    reader.onerror = () => reject(new Error("not readable"));
    reader.readAsText(this);
  });
};

// It paints nothing: what is painted is looked at in a real browser.
HTMLCanvasElement.prototype.getContext = () => null;

// What is loaded after a first view is there from the beginning, so that tests need not wait for it.
await Promise.all([Menu, Dialog, Choice, DataTable].map((part) => part.load()));

// The files of tests share a page, since to make one for each took longer than the tests.
afterEach(() => {
  cleanup();
  vi.restoreAllMocks();
  vi.unstubAllGlobals();
  vi.useRealTimers();
  localStorage.clear();
  sessionStorage.clear();
  window.history.replaceState(null, "", "/");
});
