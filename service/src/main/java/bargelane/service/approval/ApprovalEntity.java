package bargelane.service.approval;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** An approval that was asked for, and its answer. */
@Entity
@DynamicUpdate
@Table(name = "approval")
public class ApprovalEntity {

  @Id public String id;

  @Column(name = "tow_id")
  public String towId;

  public String wave;

  /** What is to be done, by its word. */
  public String verb;

  /** What exactly, as JSON. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String scope;

  public String note;

  @Column(name = "asked_by")
  public String askedBy;

  @Column(name = "asked_at")
  public Instant askedAt;

  /** The word of what became of it; empty while it is open. */
  public String outcome = "";

  @Column(name = "answered_by")
  public String answeredBy;

  @Column(name = "answered_at")
  public Instant answeredAt;

  public String reason = "";
}
