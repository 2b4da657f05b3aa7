/** A drawing tool: says why it cannot be used when it cannot. */
import { Button, Tooltip } from "antd";
import { useWork } from "../../context";
import { type Tool, useBench, useCalmFrame } from "../../state";
import { setTool, toolProblem } from "../../tools";

export function ToolButton({ tool, label, hint }: { tool: Tool; label: string; hint: string }) {
  const work = useWork();
  const active = useBench((s) => s.tool === tool);
  const problem = toolProblem(tool, work, useCalmFrame());
  return (
    <Tooltip title={problem ?? hint}>
      <Button size="small" type={active ? "primary" : "default"} disabled={problem !== null} data-testid={`tool-${tool}`} onClick={() => setTool(tool)}>
        {label}
      </Button>
    </Tooltip>
  );
}
