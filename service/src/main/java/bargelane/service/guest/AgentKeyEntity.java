package bargelane.service.guest;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;

/** A key that lets one agent enrol, once. */
@Entity
@Table(name = "agent_key")
public class AgentKeyEntity {

  /** SHA-256 of it. */
  @Id public String digest;

  @Column(name = "site_id")
  public String siteId;

  @Column(name = "made_by")
  public String madeBy;

  @Column(name = "expires_at")
  public Instant expiresAt;

  @Column(name = "used_at")
  public Instant usedAt;

  /** The agent that used it. */
  @Column(name = "agent_id")
  public String agentId;
}
