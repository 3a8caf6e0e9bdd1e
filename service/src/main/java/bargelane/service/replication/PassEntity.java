package bargelane.service.replication;

import bargelane.core.replication.PassKind;
import bargelane.core.replication.PassState;
import jakarta.persistence.Column;
import jakarta.persistence.Convert;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** A pass with its lease. */
@Entity
@Table(name = "pass")
public class PassEntity {

  @Id public String id;

  @Column(name = "run_id")
  public String runId;

  @Column(name = "tow_id")
  public String towId;

  @Column(name = "leg_id")
  public String legId;

  public int number;

  @Convert(converter = ReplicationWords.OfKind.class)
  public PassKind kind;

  @Convert(converter = ReplicationWords.OfPass.class)
  public PassState state;

  @Column(name = "as_of")
  public Instant asOf;

  /** How old the leg's newest point was when this one's was recorded; null if there was none. */
  @Column(name = "exposure_ms")
  public Long exposureMs;

  /** By how much that was over the RPO. */
  @Column(name = "over_rpo_ms")
  public Long overRpoMs;

  @Column(name = "started_at")
  public Instant startedAt;

  @Column(name = "ended_at")
  public Instant endedAt;

  public long epoch;

  public String tug;

  /** The fingerprint of the certificate that its tug shows to disk servers; empty if not told. */
  public String reader = "";

  @Column(name = "lease_until")
  public Instant leaseUntil;

  public int attempts;

  /** Since when it has not got on; null while it does. */
  @Column(name = "stalled_since")
  public Instant stalledSince;

  /** Before when it is not offered again; null for at once. */
  @Column(name = "not_before")
  public Instant notBefore;

  public boolean verify;

  /** Whether machines may be down for it: it goes before others, and does not wait for long. */
  public boolean urgent;

  /** Whether it gives way to all others: nobody waits for it. */
  public boolean idle;

  @JdbcTypeCode(SqlTypes.JSON)
  public String disks;

  public long total;

  public long done;

  public long read;

  public long sent;

  public long zeroed;

  /** Code of what it failed for, or has to be tried again for; empty for none. */
  @Column(name = "problem_code")
  public String problemCode;

  public String problem;
}
