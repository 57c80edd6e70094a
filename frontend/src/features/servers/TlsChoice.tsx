// What protects the way to a server, strongest first, and what each weaker choice gives up.
const MODES = [
  ["", "as is safe: verify-full, and on this machine prefer"],
  ["verify-full", "verify-full: the certificate and its host name are checked"],
  ["verify-ca", "verify-ca: weaker, any host with a certificate of the authority"],
  ["require", "require: weaker: encrypted, but the server is not checked"],
  ["prefer", "prefer: weaker, not encrypted where the server has no TLS"],
  ["disable", "disable: not encrypted"],
] as const;

interface Props {
  readonly value: string;
  readonly onChange: (mode: string) => void;
}

export const TlsChoice = ({ value, onChange }: Props) => (
  <label className="col-span-2 block">
    <span className="text-muted block text-sm">TLS</span>
    <select
      value={value}
      onChange={(event) => onChange(event.target.value)}
      className="bg-raised border-line w-full border px-2 py-1"
    >
      {MODES.map(([mode, words]) => (
        <option key={mode} value={mode}>
          {words}
        </option>
      ))}
    </select>
  </label>
);
