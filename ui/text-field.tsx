/** A line of text with its label, and what is wrong with it below. */
export function TextField({
  id,
  label,
  value,
  error,
  most = 40,
  placeholder,
  onChange,
}: {
  id: string;
  label: string;
  value: string;
  error: string | undefined;
  /** Letters that it takes. */
  most?: number;
  placeholder?: string;
  onChange: (value: string) => void;
}) {
  return (
    <div className={`field ${error ? 'bad' : ''}`}>
      <label htmlFor={id}>{label}</label>
      <input
        id={id}
        value={value}
        maxLength={most}
        placeholder={placeholder}
        aria-invalid={error !== undefined}
        aria-describedby={error ? `${id}-error` : undefined}
        onChange={(event) => onChange(event.target.value)}
      />
      {error && (
        <span className="err" id={`${id}-error`}>
          {error}
        </span>
      )}
    </div>
  );
}
