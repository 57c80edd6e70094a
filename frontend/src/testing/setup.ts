// Runs before each test file: what jsdom lacks and Headless UI asks for.
class NoResizeObserver {
  observe(): void {}
  unobserve(): void {}
  disconnect(): void {}
}
globalThis.ResizeObserver = NoResizeObserver;

// Nor has it a page to scroll, which the router puts back where it was.
window.scrollTo = () => undefined;
