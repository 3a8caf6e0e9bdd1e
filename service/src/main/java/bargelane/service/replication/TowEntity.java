package bargelane.service.replication;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** Machines that share one point in time. */
@Entity
@DynamicUpdate
@Table(name = "tow")
public class TowEntity {

  @Id public String id;

  /** Recovery points that were ever recorded. */
  public int points;

  @Column(name = "wave_id")
  public String waveId;

  /** What people call it: the name of its wave. */
  public String name;

  @Column(name = "lane_id")
  public String laneId;

  @Column(name = "timetable_id")
  public String timetableId;

  @Column(name = "settled_at")
  public Instant settledAt;

  public boolean landed;

  @JdbcTypeCode(SqlTypes.JSON)
  public String divergence;

  public boolean diverged;

  /** Of when its records are, while they come from a backup and are not checked; usually null. */
  @Column(name = "unchecked_since")
  public Instant uncheckedSince;
}
