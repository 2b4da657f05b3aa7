/** The list of keys: by step, in columns, searchable. */
import { Input, Modal } from "antd";
import { useState } from "react";
import { keysFound } from "./keys";

export function KeyList({ open, close }: { open: boolean; close: () => void }) {
  const [search, setSearch] = useState("");
  const found = keysFound(search);
  return (
    <Modal title="Keys" open={open} onCancel={close} footer={null} width={1080} style={{ top: 24 }} afterClose={() => setSearch("")}>
      <Input
        allowClear
        autoFocus
        value={search}
        placeholder="search, for example: nudge"
        aria-label="search the keys"
        onChange={(e) => setSearch(e.target.value)}
        style={{ width: 300, marginBottom: 10 }}
      />
      <div className="key-list" data-testid="key-list">
        {found.map((g) => (
          <section key={g.title}>
            <h2>{g.title}</h2>
            {g.rows.map((k) => (
              <div key={k.keys + k.does} className="key-row">
                <span className="mono">{k.keys}</span>
                <span>{k.does}</span>
              </div>
            ))}
          </section>
        ))}
        {found.length === 0 && <span className="quiet">No key has to do with that.</span>}
      </div>
    </Modal>
  );
}
