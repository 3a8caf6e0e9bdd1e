package bargelane.service.run;

import bargelane.core.run.StepState;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.IdClass;
import jakarta.persistence.Table;
import java.time.Instant;

/** One durable step of a run. */
@Entity
@Table(name = "step")
@IdClass(StepId.class)
public class StepEntity {

  @Id
  @Column(name = "run_id")
  public String runId;

  @Id public int number;

  public String name;

  public String title;

  @Convert(converter = RunWords.OfStep.class)
  public StepState state;

  public String detail;

  public int attempts;

  @Column(name = "started_at")
  public Instant startedAt;

  @Column(name = "ended_at")
  public Instant endedAt;
}
