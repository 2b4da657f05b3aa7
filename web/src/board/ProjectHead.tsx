/** A project's name, and what can be done with the whole of it. */
import { Button, Dropdown, Input } from "antd";
import { useState } from "react";
import { api, type ProjectView } from "../api/client";
import { Shelf } from "../shelf/Shelf";
import { useBinEdits } from "../ui/useBin";

export function ProjectHead({ project, onNew }: { project: ProjectView; onNew: () => void }) {
  const { attempt, remove } = useBinEdits();
  const [naming, setNaming] = useState(false);
  const [shelf, setShelf] = useState(false);
  const path = { params: { path: { project_id: project.id } } };
  const rename = (name: string) => {
    setNaming(false);
    const plain = name.trim();
    if (plain && plain !== project.name) void attempt(() => api.PUT("/api/projects/{project_id}", { ...path, body: { name: plain } }));
  };
  return (
    <>
      {naming ? (
        <Input
          autoFocus
          defaultValue={project.name}
          maxLength={120}
          style={{ width: 320 }}
          aria-label="name of the project"
          onPressEnter={(e) => rename(e.currentTarget.value)}
          onBlur={(e) => rename(e.currentTarget.value)}
        />
      ) : (
        <h1>{project.name}</h1>
      )}
      <span className="quiet">
        {project.shots.length} {project.shots.length === 1 ? "shot" : "shots"}
      </span>
      <Dropdown
        trigger={["click"]}
        menu={{
          items: [
            { key: "rename", label: "Rename project" },
            { key: "copy", label: "Duplicate project" },
            { key: "new", label: "New project" },
            { key: "remove", label: "Remove project" },
          ],
          onClick: ({ key }) => {
            if (key === "rename") setNaming(true);
            else if (key === "copy") void attempt(() => api.POST("/api/projects/{project_id}/copy", path));
            else if (key === "new") onNew();
            else void remove("project", project.id, project.name);
          },
        }}
      >
        <Button size="small" aria-label={`more about ${project.name}`} data-testid="project-menu">
          More
        </Button>
      </Dropdown>
      <Button size="small" onClick={() => setShelf(true)} data-testid="project-shelf">
        Shelf
      </Button>
      <Shelf project={project.id} open={shelf} close={() => setShelf(false)} />
    </>
  );
}
