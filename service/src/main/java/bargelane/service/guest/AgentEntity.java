package bargelane.service.guest;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;
import org.hibernate.annotations.JdbcTypeCode;
import org.hibernate.type.SqlTypes;

/** An agent in a guest. */
@Entity
@DynamicUpdate
@Table(name = "agent")
public class AgentEntity {

  @Id public String id;

  @Column(name = "site_id")
  public String siteId;

  /** What its machine calls itself. */
  public String name;

  /** SHA-256 of its token. */
  @Column(name = "token_digest")
  public String tokenDigest;

  public String version;

  @Column(name = "enrolled_at")
  public Instant enrolledAt;

  @Column(name = "heard_at")
  public Instant heardAt;

  @Column(name = "surveyed_at")
  public Instant surveyedAt;

  /** How far its machine's clock is ahead of ours, in milliseconds. */
  @Column(name = "clock_ahead")
  public long clockAhead;

  /** The number of the newest look that we hold. */
  public long held;

  /** As whom it reads; empty until it told. */
  public String account = "";

  /** What it can't read, and why, as a JSON list of texts. */
  @JdbcTypeCode(SqlTypes.JSON)
  public String unread = "[]";

  /** The agent in whose place it would be, until somebody says that it may; empty for none. */
  @Column(name = "waits_for")
  public String waitsFor = "";

  /** Why what it told last was refused; empty if it was not. */
  public String trouble = "";
}
