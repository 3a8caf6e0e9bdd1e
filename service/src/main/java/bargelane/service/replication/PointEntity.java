package bargelane.service.replication;

import bargelane.core.replication.Verification;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A complete recovery point. */
@Entity
@Table(name = "point")
public class PointEntity {

  @Id public String id;

  @Column(name = "tow_id")
  public String towId;

  @Column(name = "leg_id")
  public String legId;

  @Column(name = "site_id")
  public String siteId;

  public int number;

  public String name;

  @Column(name = "as_of")
  public Instant asOf;

  @Column(name = "spread_ms")
  public long spreadMs;

  /** Whether the platform promises that all of it is of one instant. */
  @Column(name = "one_instant")
  public boolean oneInstant;

  public String consistency;

  @Convert(converter = ReplicationWords.OfVerification.class)
  public Verification verification = Verification.NONE;

  @Column(name = "recorded_at")
  public Instant recordedAt;

  public long sent;

  @JdbcTypeCode(SqlTypes.JSON)
  public String volumes;
}
