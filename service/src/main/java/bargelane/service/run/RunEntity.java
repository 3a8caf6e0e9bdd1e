package bargelane.service.run;

import bargelane.core.run.RunState;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import jakarta.persistence.Transient;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A piece of work. */
@Entity
@Table(name = "run")
public class RunEntity {

  @Id public String id;

  /** Who asked that it is stopped; empty for nobody. */
  @Column(name = "stop_by")
  public String stopBy = "";

  public String kind;

  public String title;

  @Column(name = "subject_kind")
  public String subjectKind;

  @Column(name = "subject_id")
  public String subjectId;

  @Column(name = "subject_name")
  public String subjectName;

  @Column(name = "parent_id")
  public String parentId;

  /** Begun by a timetable again and again, or part of another: listed only where asked for. */
  public boolean routine;

  @Convert(converter = RunWords.OfRun.class)
  public RunState state;

  public long epoch;

  @JdbcTypeCode(SqlTypes.JSON)
  public String input;

  @JdbcTypeCode(SqlTypes.JSON)
  public String notes;

  /** Its notes are to be stored with the end of its step. */
  @Transient public boolean notesLeft;

  @JdbcTypeCode(SqlTypes.JSON)
  public String problem;

  @JdbcTypeCode(SqlTypes.JSON)
  public String result;

  @Column(name = "started_by")
  public String startedBy;

  @Column(name = "started_at")
  public Instant startedAt;

  @Column(name = "ended_at")
  public Instant endedAt;
}
