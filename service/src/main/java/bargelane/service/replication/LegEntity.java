package bargelane.service.replication;

import bargelane.core.replication.Direction;
import bargelane.core.replication.LegState;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;

/** A stretch of replication in one direction, from one common point. */
@Entity
@DynamicUpdate
@Table(name = "leg")
public class LegEntity {

  @Id public String id;

  @Column(name = "tow_id")
  public String towId;

  public int number;

  @Convert(converter = ReplicationWords.OfDirection.class)
  public Direction direction;

  @Convert(converter = ReplicationWords.OfLeg.class)
  public LegState state;

  public String marker;

  @Column(name = "base_point_id")
  public String basePointId;

  /**
   * The point that its marker, its replicas and their digest maps belong to; none before the first.
   */
  @Column(name = "point_id")
  public String pointId;

  /** Passes that were ever begun on it. */
  public int passes;

  /** Who holds its timetable's passes back; empty for nobody. */
  @Column(name = "held_by")
  public String heldBy = "";

  /** When its copies were scrubbed last; null for never. */
  @Column(name = "scrubbed_at")
  public Instant scrubbedAt;

  /** What a scrub found that is not mended yet; empty for nothing. */
  @Column(name = "scrub_found")
  public String scrubFound = "";

  /** The run whose landing it began with; null if it began with a load. */
  @Column(name = "begun_by")
  public String begunBy;
}
