/** What runs at the moment, how far it is, and stopping it. */
import { Button, Popover, Progress } from "antd";
import { api, type JobView } from "../api/client";
import { useJobs } from "../api/queries";

const STATES: Record<JobView["state"], string> = {
  waiting: "waits its turn",
  running: "running",
  done: "done",
  failed: "did not work",
  stopped: "stopped",
};

export function isOpen(job: JobView): boolean {
  return job.state === "waiting" || job.state === "running";
}

export function percent(job: JobView): number {
  return job.total ? Math.round((100 * job.done) / job.total) : 0;
}

/** How far a job is, what it does, and how long it will take: frames where it counts frames. */
export function progressText(job: JobView): string {
  if (job.state === "waiting") return job.message ? "waits" : "waits its turn";
  return [`${percent(job)} %`, job.phase, job.seconds_left === null ? "" : leftText(job.seconds_left)].filter(Boolean).join(", ");
}

function leftText(seconds: number): string {
  if (seconds < 90) return `${Math.max(1, Math.round(seconds))} s left`;
  return `${Math.round(seconds / 60)} min left`;
}

export function stopJob(id: string): Promise<unknown> {
  return api.POST("/api/jobs/{job_id}/stop", { params: { path: { job_id: id } } });
}

function JobRow({ job }: { job: JobView }) {
  return (
    <div style={{ display: "grid", gap: 2 }}>
      <div className="row apart">
        <span>{job.title}</span>
        {isOpen(job) ? (
          <Button size="small" onClick={() => void stopJob(job.id)} disabled={job.stop_asked}>
            {job.stop_asked ? "Stopping" : "Stop"}
          </Button>
        ) : (
          <span className="quiet small">{STATES[job.state]}</span>
        )}
      </div>
      {isOpen(job) ? (
        <>
          <Progress percent={percent(job)} size="small" showInfo={false} />
          <span className="quiet small">{job.message || progressText(job)}</span>
        </>
      ) : (
        <span className="quiet small">{job.message}</span>
      )}
    </div>
  );
}

export function JobPill() {
  const jobs = useJobs().data ?? [];
  const open = jobs.filter(isOpen);
  const shown = jobs.slice(0, 8);
  const total = open.reduce((sum, j) => sum + percent(j), 0);
  const content = (
    <div style={{ width: 340, display: "grid", gap: 12 }} data-testid="job-list">
      {shown.length === 0 ? <span className="quiet">Nothing has run yet.</span> : shown.map((j) => <JobRow key={j.id} job={j} />)}
    </div>
  );
  return (
    <Popover content={content} trigger="click" placement="bottomRight">
      <button className="pill" data-testid="job-pill">
        {open.length === 0 ? <span className="quiet">no jobs</span> : `${open.length} ${open.length === 1 ? "job" : "jobs"}`}
        {open.length > 0 && <span className="mono">{Math.round(total / open.length)} %</span>}
      </button>
    </Popover>
  );
}
