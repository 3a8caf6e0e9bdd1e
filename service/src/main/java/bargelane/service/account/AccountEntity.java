package bargelane.service.account;

import jakarta.persistence.Column;
import jakarta.persistence.Entity;
import jakarta.persistence.Id;
import jakarta.persistence.Table;
import java.time.Instant;
import org.hibernate.annotations.DynamicUpdate;

/** A local account. */
@Entity
@DynamicUpdate
@Table(name = "account")
public class AccountEntity {

  @Id public String id;

  public String name;

  @Column(name = "password_hash")
  public String passwordHash;

  /** Words of its roles, with spaces between them. */
  public String roles;

  /** The machines that they are limited to, as a filter; empty for all. */
  public String machines = "";

  /** The identity provider that signs its person in; none where it has a password. */
  public String issuer;

  /** Who that is to the provider. */
  public String subject;

  /** When the provider last said what its person may do. */
  @Column(name = "confirmed_at")
  public Instant confirmedAt;

  @Column(name = "created_at")
  public Instant createdAt;
}
